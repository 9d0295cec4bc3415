import { chakra } from "@chakra-ui/react"

import { Figure } from "../../parts/controls"
import { Mark } from "../../parts/Mark"
import type { LadderView } from "../../api/client"

const COLUMNS = ["", "Program", "Rate", "Opens", "Buffer", "In", "Out", "Round trip", "Limit"]

/** Every program with a device: what it opens and what that gives. */
export function Programs(props: { ladders: LadderView[]; at: number; onChoose: (program: string) => void }) {
  const cell = { h: "row", px: "8px", borderBottom: "1px solid", borderColor: "rule", whiteSpace: "nowrap" }
  return (
    <chakra.table
      w="100%"
      borderCollapse="separate"
      borderSpacing="0"
      textStyle="cell"
      aria-label="Devices and programs"
    >
      <thead>
        <tr>
          {COLUMNS.map((title, index) => (
            <chakra.th
              key={title}
              textStyle="head"
              h="26px"
              px="8px"
              textAlign={index > 3 ? "right" : "left"}
              position="sticky"
              top="0"
              bg="paper"
              borderBottom="1px solid"
              borderColor="rule"
            >
              {title || <chakra.span srOnly>Mark</chakra.span>}
            </chakra.th>
          ))}
        </tr>
      </thead>
      <tbody>
        {props.ladders.map((ladder, index) => {
          const on = index === props.at
          const trips = [
            [ladder.in_ms, ladder.assumed_in],
            [ladder.out_ms, ladder.assumed_out],
            [ladder.round_trip_ms, ladder.assumed],
          ] as const
          return (
            <chakra.tr
              key={ladder.program}
              aria-selected={on}
              bg={on ? "wash" : "sheet"}
              cursor="pointer"
              onClick={() => props.onChoose(ladder.program)}
            >
              <chakra.td
                css={cell}
                w="26px"
                style={{ boxShadow: on ? "inset 3px 0 0 var(--isk-colors-sea)" : undefined }}
              >
                {ladder.verdict === "clicks" ? (
                  <Mark severity="trouble" label="clicks" />
                ) : (
                  ladder.late_lines > 0 && <Mark severity="trouble" label="late lines" />
                )}
              </chakra.td>
              <chakra.td css={cell}>
                <b>{ladder.name}</b>
              </chakra.td>
              <chakra.td
                css={cell}
                color={ladder.own_rate_hz === ladder.rate_hz || ladder.resampled ? undefined : "wax"}
              >
                {ladder.own_rate_hz / 1000} kHz
                {ladder.own_rate_hz !== ladder.rate_hz &&
                  (ladder.resampled ? `, resampled` : `, not ${ladder.rate_hz / 1000}`)}
              </chakra.td>
              <chakra.td css={cell}>
                {ladder.device}, {ladder.driver_kind}
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                <Figure>{ladder.buffer_samples}</Figure>
              </chakra.td>
              {trips.map(([ms, assumed], place) => (
                <chakra.td key={place} css={cell} textAlign="right">
                  <Figure>
                    {assumed ? "~" : ""}
                    {ms.toFixed(2)} ms {place === 2 && ladder.round_trip_samples}
                  </Figure>
                </chakra.td>
              ))}
              <chakra.td css={cell} textAlign="right">
                {ladder.limit_ms === null ? "—" : `${ladder.limit_ms} ms`}
              </chakra.td>
            </chakra.tr>
          )
        })}
      </tbody>
    </chakra.table>
  )
}
