import { Box, chakra } from "@chakra-ui/react"

import type { CheckView } from "../../api/client"
import { Mark, Tick } from "../../parts/Mark"
import { fromTo } from "../../parts/figures"

type Clip = NonNullable<NonNullable<CheckView["ledger"]>["clips"]>[number]

/** Where clips of a leader lie in its follower's song: what was predicted, and what was heard. */
export function Clips({ clips }: { clips: Clip[] }) {
  if (clips.length === 0) return null
  return (
    <Box borderTop="1px solid" borderColor="rule" textStyle="cell" data-testid="clips">
      <Box textStyle="head" px="12px" py="4px">
        Clips of who leads, in the song of who follows: samples late
      </Box>
      <chakra.table w="100%" aria-label="Clips">
        <tbody>
          {clips.map((clip) => (
            <tr key={`${clip.link}${clip.track}`}>
              <chakra.td px="8px" w="26px">
                {clip.in_time ? (
                  <Tick label="in time" />
                ) : (
                  <Mark severity={clip.agrees ? "risk" : "trouble"} label="not in time" />
                )}
              </chakra.td>
              <td>
                {clip.leader} on {clip.follower}, {clip.name}
              </td>
              <td>predicted {fromTo(clip.predicted_least, clip.predicted_most, 1)}</td>
              <td>heard {clip.measured === null ? "nothing" : fromTo(clip.measured, clip.measured, 1)}</td>
              <td>{clip.words}</td>
            </tr>
          ))}
        </tbody>
      </chakra.table>
    </Box>
  )
}
