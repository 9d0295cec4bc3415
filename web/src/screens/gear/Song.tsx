import { Flex, chakra } from "@chakra-ui/react"
import { useRef } from "react"

import { answer, type Edit, type Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button } from "../../parts/controls"
import { Check, NumberRow, Section, useSet } from "./fields"

/** A program's tempo, whose clock it minds, and its song as a Standard MIDI file. */
export function Song({ program }: { program: Program }) {
  const { state, edit, say } = useRig()
  const set = useSet(program.id)
  const file = useRef<HTMLInputElement>(null)
  const url = `/api/rigs/${state.id}/programs/${program.id}/song`
  const read = async (picked: File) => {
    try {
      const made = await answer<Edit>(
        fetch(url, {
          method: "POST",
          headers: { "Content-Type": "application/octet-stream" },
          body: picked,
        }).then(async (response) => {
          const body: unknown = await response.json()
          return response.ok ? { data: body, response } : { error: body, response }
        }),
      )
      await edit([made])
    } catch (problem) {
      say(problem instanceof Error ? problem.message : String(problem))
    }
  }
  const later = program.later_tempos?.length ?? 0
  const markers = program.markers?.length ?? 0
  return (
    <Section
      title="Song"
      note={`${later} later tempo${later === 1 ? "" : "s"}, ${markers} marker${markers === 1 ? "" : "s"}`}
    >
      <NumberRow
        words="Tempo"
        unit="bpm"
        value={program.tempo_bpm ?? 120}
        onKeep={(tempo_bpm) => set({ tempo_bpm })}
      />
      <Check
        words="Follows a sync clock"
        on={program.follows_clock ?? false}
        onChange={(follows_clock) => void set({ follows_clock })}
      />
      <Flex gap="4px" mt="2px">
        <Button size="row" onClick={() => file.current?.click()}>
          Read a MIDI file…
        </Button>
        <chakra.a href={url} download={`${program.name}.mid`} color="sea" fontWeight="600" px="6px">
          Write one
        </chakra.a>
      </Flex>
      <input
        ref={file}
        type="file"
        accept=".mid,.midi,audio/midi"
        hidden
        aria-label={`Song file of ${program.name}`}
        onChange={(event) => {
          const picked = event.target.files?.[0]
          event.target.value = ""
          if (picked) void read(picked)
        }}
      />
    </Section>
  )
}
