import { Box, Flex, chakra } from "@chakra-ui/react"
import { useRef, useState } from "react"

import type { Edit, PortTuple } from "../../api/client"
import { useRig } from "../../api/rig"
import { numberOf } from "../../parts/figures"
import { Button, Input, Kbd, Select } from "../../parts/controls"
import { useDraft } from "../../parts/drafts"
import { Clear } from "../../parts/PencilForm"

const NEW_TRACK = "new"
const EMPTY = { purpose: "record" as "record" | "listen", from: "", to: "", name: "", within: "" }

/** A strip under the toolbar that states one line after another: name, from, purpose, to, within. */
export function NewLine({ onClose }: { onClose: () => void }) {
  const { state, edit, take } = useRig()
  const { rig } = state
  const programs = rig.gear.filter((gear) => gear.kind === "program")
  const sources = [
    ...rig.gear
      .filter((gear) => gear.kind === "source")
      .map(({ id, name, width }) => ({ id, name, width, bank: "out" as const, words: name })),
    ...programs.flatMap((program) =>
      program.voices.map(({ id, name, width }) => ({
        id,
        name,
        width,
        bank: "voice" as const,
        words: `${name}, of ${program.name}`,
      })),
    ),
  ]
  const destinations = [
    ...rig.gear
      .filter((gear) => gear.kind === "destination")
      .map(({ id, name, width }) => ({ id, name, width, bank: "in" as const, words: name })),
    ...programs.flatMap((program) =>
      program.tracks
        .filter((track) => track.far_end)
        .map(({ id, name, width }) => ({
          id,
          name,
          width,
          bank: "track" as const,
          words: `${name}, of ${program.name}`,
        })),
    ),
  ]
  const [typed, put, clear] = useDraft("line", EMPTY)
  const [refused, setRefused] = useState<string | null>(null)
  const { purpose, to, name, within } = typed
  // What a draft names may be gone meanwhile.
  const from = sources.some((gear) => gear.id === typed.from) ? typed.from : (sources[0]?.id ?? "")
  const change = (changed: Partial<typeof EMPTY>) => {
    put({ ...typed, ...changed })
    setRefused(null)
  }
  const first = useRef<HTMLInputElement>(null)
  const source = sources.find((gear) => gear.id === from)
  const target =
    to ||
    (purpose === "record"
      ? programs[0]
        ? `${NEW_TRACK}:${programs[0].id}`
        : ""
      : (destinations[0]?.id ?? ""))
  const ear = destinations.find((each) => each.id === target && each.bank === "track")
  const heard = ear ? `for ${ear.name}` : "heard"
  const fallback = source ? (purpose === "record" ? source.name : `${source.name}, ${heard}`) : ""

  /** A name that begins a source's is that source's; of several the first one's. */
  const typeName = (text: string) => {
    const begun = sources.filter((gear) => gear.name.toLowerCase().startsWith(text.trim().toLowerCase()))
    const other = text.trim() && begun[0] && begun.every((each) => each.id !== from)
    change({ name: text, from: other && begun[0] ? begun[0].id : from })
  }

  const limit = within.trim() === "" ? null : numberOf(within.replace(/\s*ms$/i, ""))
  const bad = within.trim() !== "" && limit === null

  const add = async () => {
    if (!source || !target) return
    const edits: Edit[] = []
    const ports = (id: string, bank: PortTuple[1], width: number): PortTuple[] =>
      Array.from({ length: width }, (_, leg) => [id, bank, leg + 1])
    let ends: PortTuple[]
    if (purpose === "listen") {
      const destination = destinations.find((gear) => gear.id === target)
      ends = ports(target, destination?.bank ?? "in", destination?.width ?? 1)
    } else if (target.startsWith(NEW_TRACK)) {
      const id = "new1"
      const program = target.slice(NEW_TRACK.length + 1)
      edits.push({
        edit: "add_tracks",
        program,
        names: [name.trim() || source.name],
        width: source.width,
        ids: [id],
      })
      ends = ports(id, "track", source.width)
    } else {
      const track = programs.flatMap((program) => program.tracks).find((each) => each.id === target)
      ends = ports(target, "track", track?.width ?? 1)
    }
    if (bad) return setRefused(`Within: “${within}” is no number of milliseconds.`)
    edits.push({
      edit: "add_line",
      name: name.trim() || fallback,
      purpose,
      from_ports: ports(source.id, source.bank, source.width),
      to_ports: ends,
      longest_delay_ms: limit,
    })
    // The next one can be typed at once; where this one was refused it stands there again.
    const next = sources[sources.indexOf(source) + 1]
    change({ from: next?.id ?? from, name: "", to: purpose === "listen" ? to : "" })
    first.current?.focus()
    if (await edit(edits)) return
    setRefused(take())
    if (!first.current?.value) put(typed)
  }

  return (
    <chakra.form
      aria-label="New line"
      bg="pencilWash"
      borderTop="1px dashed"
      borderBottom="1px dashed"
      borderColor="pencil"
      px="12px"
      py="6px"
      textStyle="cell"
      onSubmit={(event) => {
        event.preventDefault()
        void add()
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") {
          event.stopPropagation()
          onClose()
        }
        if (event.key === "Enter" && event.ctrlKey) void add()
      }}
    >
      <Flex gap="10px" align="center" wrap="wrap">
        <Labelled words="Name">
          <Input
            ref={first}
            autoFocus
            w="150px"
            placeholder={fallback}
            value={name}
            onChange={(event) => typeName(event.target.value)}
            aria-label="Name of the line"
          />
        </Labelled>
        <Labelled words="from">
          <Select
            w="150px"
            value={from}
            onChange={(event) => change({ from: event.target.value })}
            aria-label="From"
          >
            {sources.map((gear) => (
              <option key={gear.id} value={gear.id}>
                {gear.words}
              </option>
            ))}
          </Select>
        </Labelled>
        <Labelled words="to">
          <Select
            w="92px"
            value={purpose}
            aria-label="Purpose"
            onChange={(event) => change({ purpose: event.target.value as "record" | "listen", to: "" })}
          >
            <option value="record">record</option>
            <option value="listen">listen</option>
          </Select>
        </Labelled>
        <Labelled words="at">
          <Select
            w="190px"
            value={target}
            onChange={(event) => change({ to: event.target.value })}
            aria-label="To"
          >
            {purpose === "listen"
              ? destinations.map((gear) => (
                  <option key={gear.id} value={gear.id}>
                    {gear.words}
                  </option>
                ))
              : programs.flatMap((program) => [
                  <option key={program.id} value={`${NEW_TRACK}:${program.id}`}>
                    a new track of {program.name}
                  </option>,
                  ...program.tracks.map(
                    (track, position) =>
                      !track.far_end && (
                        <option key={track.id} value={track.id}>
                          {program.name} {position + 1} {track.name}
                        </option>
                      ),
                  ),
                ])}
          </Select>
        </Labelled>
        <Labelled words="within">
          <Input
            w="56px"
            figure
            bad={bad}
            placeholder="—"
            value={within}
            onChange={(event) => change({ within: event.target.value })}
            aria-label="Longest delay in ms"
          />{" "}
          ms
        </Labelled>
        <Button variant="ink" size="row" type="submit" disabled={!source || !target}>
          Add line{" "}
          <Kbd borderColor="currentColor" color="inherit">
            Enter
          </Kbd>
        </Button>
        <Button variant="quiet" size="row" onClick={onClose}>
          Done <Kbd>Esc</Kbd>
        </Button>
        {(name || within) && <Clear onClear={clear} />}
      </Flex>
      {refused && (
        <Box color="wax" role="alert" mt="4px">
          {refused}
        </Box>
      )}
      {(sources.length === 0 || !target) && (
        <Box color="wax" mt="4px">
          {sources.length === 0
            ? "There is no source yet: add a microphone or a player on Gear (1)."
            : purpose === "record"
              ? "There is no recorder yet: add one on Gear (1)."
              : "There are no headphones yet: add them on Gear (1)."}
        </Box>
      )}
    </chakra.form>
  )
}

function Labelled({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <Flex as="label" gap="5px" align="center" color="pencil">
      {words} {children}
    </Flex>
  )
}
