import { Box, Flex, chakra } from "@chakra-ui/react"

import type { CheckView } from "../../api/client"
import { Figure } from "../../parts/controls"
import { Mark, Tick } from "../../parts/Mark"
import { signed } from "../../parts/figures"

export type TargetRow = NonNullable<CheckView["ledger"]>["targets"][number]
export type LineRow = NonNullable<CheckView["ledger"]>["lines"][number]

const FLOOR_DBFS = -60

export function stateMark(row: TargetRow) {
  if (row.state === "silent") return <Mark severity="stop" label="silent" />
  if (row.state === "as wanted") return <Tick label="as wanted" />
  if (row.state === "unused") return null
  return <Mark severity="trouble" label={row.state} />
}

/** What was heard where, each target with every source found there. */
export function Ledger(props: {
  rows: TargetRow[]
  chosen: number | null
  onChoose: (channel: number) => void
}) {
  return (
    <chakra.table
      w="100%"
      borderCollapse="collapse"
      textStyle="cell"
      tableLayout="fixed"
      aria-label="Heard ledger"
    >
      <colgroup>
        {[26, 190, 110, 300, 160].map((width, column) => (
          <col key={column} style={{ width }} />
        ))}
      </colgroup>
      <thead>
        <tr>
          {["", "Where", "Wanted", "Heard, loudest first: level −60 … 0 dBFS", "Delay, samples"].map(
            (title) => (
              <chakra.th
                key={title}
                textStyle="head"
                h="26px"
                px="8px"
                textAlign="left"
                borderBottom="1px solid"
                borderColor="edge"
              >
                {title}
              </chakra.th>
            ),
          )}
        </tr>
      </thead>
      <tbody>
        {props.rows.map((row) => (
          <chakra.tr
            key={row.channel}
            aria-selected={row.channel === props.chosen}
            data-target={row.name}
            bg={row.channel === props.chosen ? "wash" : "sheet"}
            boxShadow={row.channel === props.chosen ? "inset 3px 0 0 {colors.sea}" : undefined}
            borderBottom="1px solid"
            borderColor="rule"
            cursor="pointer"
            onClick={() => props.onChoose(row.channel)}
            verticalAlign="top"
          >
            <chakra.td px="8px" py="5px">
              {stateMark(row)}
            </chakra.td>
            <chakra.td px="8px" py="5px" fontWeight="600">
              {row.name}
            </chakra.td>
            <chakra.td px="8px" py="5px">
              {row.wanted.join(", ") || <chakra.span color="ink3">none</chakra.span>}
            </chakra.td>
            <chakra.td px="8px" py="5px">
              {row.sounds.length === 0 && (
                <chakra.span color={row.wanted.length ? "wax" : "ink3"}>
                  nothing above {signed(row.noise_dbfs, 0)} dBFS noise
                </chakra.span>
              )}
              {row.sounds.map((sound) => (
                <Flex key={sound.name} gap="8px" align="center">
                  <Box
                    w="110px"
                    whiteSpace="nowrap"
                    overflow="hidden"
                    textOverflow="ellipsis"
                    color={sound.wanted ? "ink" : "wax"}
                  >
                    {!sound.wanted && "+ "}
                    {sound.name}
                    {sound.copies.length > 1 && <b> ×{sound.copies.length}</b>}
                  </Box>
                  <Level dbfs={sound.copies[0]?.level_dbfs ?? FLOOR_DBFS} />
                  <Figure>{signed(sound.copies[0]?.level_dbfs, 1)}</Figure>
                </Flex>
              ))}
            </chakra.td>
            <chakra.td px="8px" py="5px">
              {row.sounds.map((sound) => (
                <Box key={sound.name}>
                  <Figure>{sound.copies.map((copy) => copy.delay_samples.toFixed(0)).join(" / ")}</Figure>
                </Box>
              ))}
            </chakra.td>
          </chakra.tr>
        ))}
      </tbody>
    </chakra.table>
  )
}

function Level({ dbfs }: { dbfs: number }) {
  const share = Math.max(0, Math.min(1, (dbfs - FLOOR_DBFS) / -FLOOR_DBFS))
  return (
    <chakra.svg w="120px" h="12px" viewBox="0 0 120 12" role="img" aria-label={`${signed(dbfs, 1)} dBFS`}>
      <chakra.rect x="0" y="2" width="120" height="8" fill="sunk" />
      <chakra.rect x="0" y="2" width={120 * share} height="8" fill="ink" />
      <chakra.line x1="84" x2="84" y1="0" y2="12" stroke="edge" />
    </chakra.svg>
  )
}
