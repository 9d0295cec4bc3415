import { Box, chakra } from "@chakra-ui/react"

import type { NowAfter as Trial } from "../api/client"

const SHOWN = 8

/** What a change would do, before it is made: pencil, never ink. A comparison tells the settings too. */
export function NowAfter({ trial, settings = false }: { trial: Trial; settings?: boolean }) {
  const rows: [string, string, string][] = [
    ["arrive", String(trial.arriving_now), `${trial.arriving_after} of ${trial.wanted_after}`],
    ...trial.lines
      .slice(0, SHOWN)
      .map((change): [string, string, string] => [change.what, change.now, change.after]),
    ...trial.numbers
      .slice(0, SHOWN)
      .map((change): [string, string, string] => [change.what, change.now, change.after]),
    ...(settings ? trial.settings.slice(0, 2 * SHOWN) : []).map((change): [string, string, string] => [
      change.what,
      change.now,
      change.after,
    ]),
  ]
  const more =
    Math.max(0, trial.lines.length - SHOWN) +
    Math.max(0, trial.numbers.length - SHOWN) +
    (settings ? Math.max(0, trial.settings.length - 2 * SHOWN) : 0)
  return (
    <Box
      border="1px dashed"
      borderColor="pencil"
      bg="pencilWash"
      color="pencil"
      textStyle="cell"
      p="6px"
      data-testid="now-after"
    >
      <chakra.table w="100%" borderCollapse="collapse">
        <thead>
          <tr>
            {["", "now", "after"].map((title) => (
              <chakra.th key={title} textAlign="left" fontWeight="600" pr="8px" verticalAlign="top">
                {title}
              </chakra.th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([what, now, after], index) => (
            <tr key={`${what}${index}`}>
              <chakra.td pr="8px" verticalAlign="top">
                {what}
              </chakra.td>
              <chakra.td pr="8px" verticalAlign="top">
                {now}
              </chakra.td>
              <chakra.td verticalAlign="top" fontWeight="600">
                {after}
              </chakra.td>
            </tr>
          ))}
          {more > 0 && (
            <tr>
              <td colSpan={3}>and {more} more</td>
            </tr>
          )}
          <tr>
            <chakra.td pr="8px" verticalAlign="top">
              snags
            </chakra.td>
            <td colSpan={2}>
              {trial.gone_snags.length} fewer
              {trial.new_snags.length > 0 ? (
                <chakra.span color="wax">
                  , {trial.new_snags.length} new: {trial.new_snags.slice(0, 3).join("; ")}
                </chakra.span>
              ) : (
                ", none new"
              )}
            </td>
          </tr>
          <tr>
            <chakra.td pr="8px" verticalAlign="top">
              edits
            </chakra.td>
            <chakra.td colSpan={2} wordBreak="break-word">
              {trial.words.length > 240 ? `${trial.words.slice(0, 240)}…` : trial.words}
            </chakra.td>
          </tr>
        </tbody>
      </chakra.table>
    </Box>
  )
}
