import { Box, Flex } from "@chakra-ui/react"
import { useMutation } from "@tanstack/react-query"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Select } from "../../parts/controls"
import { signed } from "../../parts/figures"
import { useNumber, useSet } from "../gear/fields"

/** Of the computer: its cores, and how late it wakes a program; how long the recording will be, and alignment. */
export function Computer() {
  const { state, say } = useRig()
  const set = useSet("rig")
  const number = useNumber()
  const { cores, jitter_ms, show_minutes, alignment_dbfs } = state.rig
  const measured = useMutation({
    mutationFn: () => answer<Schemas["Wakeups"]>(client.POST("/api/computer/wakeups")),
    onError: (problem) => say(problem.message),
  })
  const latest = Math.ceil(100 * (measured.data?.worst_ms ?? 0)) / 100
  const row = {
    minH: "32px",
    px: "12px",
    align: "center",
    gap: "6px",
    bg: "sheet",
    textStyle: "cell",
  } as const
  return (
    <>
      <Flex {...row}>
        Cores
        <Commit
          value={cores}
          label="Cores"
          width="42px"
          figure
          onKeep={(text) => number("Cores", text, (cores) => set({ cores }))}
        />
        <Box flex="1" />
        wakes late by
        <Commit
          value={jitter_ms}
          label="Scheduling jitter in ms"
          width="48px"
          figure
          onKeep={(text) => number("Scheduling jitter", text, (jitter_ms) => set({ jitter_ms }))}
        />
        ms
      </Flex>
      <Flex {...row} py="3px" wrap="wrap">
        <Button size="row" disabled={measured.isPending} onClick={() => measured.mutate()}>
          {measured.isPending ? "Measuring…" : "Measure this computer’s timer"}
        </Button>
        {measured.data && (
          <>
            <Button size="row" variant="link" onClick={() => void set({ jitter_ms: latest })}>
              Use {latest} ms
            </Button>
            <Box color="ink2" data-testid="wakeups">
              {measured.data.statement} Half were within {measured.data.median_ms.toFixed(2)} ms.{" "}
              {measured.data.tail} It is the timer of Iskelo’s own server here, not an audio driver’s.
            </Box>
          </>
        )}
      </Flex>
      <Flex {...row} borderBottom="1px solid" borderColor="rule">
        Recording lasts
        <Commit
          value={show_minutes ?? null}
          label="Length of the recording in minutes"
          width="56px"
          figure
          placeholder="?"
          onKeep={(text) =>
            text === ""
              ? set({ show_minutes: null })
              : number("Length of the recording", text, (show_minutes) => set({ show_minutes }))
          }
        />
        min
        <Box flex="1" />
        <label title="A nominal level stands here at most: what is above it is headroom">
          alignment{" "}
          <Select
            aria-label="Alignment in dBFS"
            value={alignment_dbfs}
            onChange={(event) => void set({ alignment_dbfs: Number(event.target.value) })}
          >
            {[...new Set([-18, -20, alignment_dbfs])].map((level) => (
              <option key={level} value={level}>
                {signed(level, 0)} dBFS
              </option>
            ))}
          </Select>
        </label>
      </Flex>
    </>
  )
}
