import { Box, chakra } from "@chakra-ui/react"
import { Fragment } from "react"

import type { NowAfter as Trial } from "../api/client"

type Change = Trial["lines"][number]

const SHOWN = 8

function Row({ what, now, after }: { what: string; now: string | number; after: string }) {
  return (
    <tr>
      <chakra.td pr="8px" minW="8em" verticalAlign="top">
        {what}
      </chakra.td>
      <chakra.td pr="8px" verticalAlign="top">
        {now}
      </chakra.td>
      <chakra.td verticalAlign="top" fontWeight="600">
        {after}
      </chakra.td>
    </tr>
  )
}

/** What a change would do, before it is made: pencil, never ink. A comparison tells the settings too. */
export function NowAfter({ trial, settings = false }: { trial: Trial; settings?: boolean }) {
  const parts: [title: string, changes: Change[], shown: number][] = [
    ["lines", trial.lines, SHOWN],
    ["numbers", trial.numbers, SHOWN],
    ...(settings ? [["settings", trial.settings, 2 * SHOWN] as [string, Change[], number]] : []),
  ]
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
          <Row
            what="arrive"
            now={trial.arriving_now}
            after={`${trial.arriving_after} of ${trial.wanted_after}`}
          />
          {parts.map(([title, changes, most]) => (
            <Fragment key={title}>
              {settings && changes.length > 0 && (
                <tr>
                  <chakra.th colSpan={3} textAlign="left" fontWeight="600" pt="4px">
                    {title}
                  </chakra.th>
                </tr>
              )}
              {changes.slice(0, most).map((change, index) => (
                <Row key={`${change.what}${index}`} {...change} />
              ))}
              {changes.length > most && (
                <tr>
                  <td colSpan={3}>
                    and {changes.length - most} more {title}
                  </td>
                </tr>
              )}
            </Fragment>
          ))}
          <tr>
            <chakra.td pr="8px" verticalAlign="top">
              snags
            </chakra.td>
            <td colSpan={2}>
              {trial.gone_snags.length} fewer
              {trial.new_snags.length > 0 ? (
                <chakra.span color={trial.harms ? "wax" : undefined}>
                  , {trial.new_snags.length} {trial.harms ? "new" : "still to do"}:{" "}
                  {trial.new_snags.slice(0, 3).join("; ")}
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
