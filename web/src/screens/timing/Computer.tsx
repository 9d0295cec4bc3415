import { Box, Flex } from "@chakra-ui/react"

import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { useNumber, useSet } from "../gear/Inspector"

/** Of the computer: its cores, and how late it calls a program; and how long the recording will be. */
export function Computer() {
  const { state } = useRig()
  const set = useSet("rig")
  const number = useNumber()
  const { cores, jitter_ms, show_minutes } = state.rig
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
        calls late by
        <Commit
          value={jitter_ms}
          label="Late calls in ms"
          width="48px"
          figure
          onKeep={(text) => number("Late calls", text, (jitter_ms) => set({ jitter_ms }))}
        />
        ms
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
      </Flex>
    </>
  )
}
