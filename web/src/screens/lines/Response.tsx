import { Box, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"

const WIDTH = 236
const HEIGHT = 96
const FOOT = 16
const TOP_DB = 12
const BOTTOM_DB = -36

/** What a line's copies do to it over frequency, its first notches, against the loudest copy alone. */
export function Response({ line }: { line: LineView }) {
  const { state } = useRig()
  const found = useQuery({
    queryKey: ["response", state.id, state.revision, line.id],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Schemas["ResponseView"]>(
        client.GET("/api/rigs/{rig_id}/lines/{line_id}/response", {
          params: { path: { rig_id: state.id, line_id: line.id } },
        }),
      ),
  })
  const { frequencies_hz: hz, levels_db: levels, heard } = found.data ?? {}
  if (!hz || !levels || hz.length === 0) return null
  const top = hz.at(-1) ?? 1
  const x = (frequency: number) => (WIDTH * frequency) / top
  const step = [10, 20, 50, 100, 200, 500, 1000, 2000, 5000].find((each) => top / each <= 4.5) ?? 5000
  const ticks = Array.from({ length: Math.floor(top / step) }, (_, at) => (at + 1) * step)
  const y = (db: number) => ((TOP_DB - Math.max(BOTTOM_DB, db)) / (TOP_DB - BOTTOM_DB)) * (HEIGHT - FOOT)
  const path = hz.map((each, at) => `${at ? "L" : "M"}${x(each).toFixed(1)} ${y(levels[at] ?? 0).toFixed(1)}`)
  return (
    <Box w="252px" flex="none" pl="8px">
      <chakra.svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        w="100%"
        display="block"
        role="img"
        aria-label={`Response of ${line.name}: heard ${heard ?? "as one"}`}
        fontFamily="mono"
        fontSize="11px"
        color="ink"
        css={{ "& text": { fill: "currentColor" } }}
      >
        {[0, -12, -24].map((db) => (
          <chakra.line key={db} x1="0" x2={WIDTH} y1={y(db)} y2={y(db)} stroke="rule" />
        ))}
        {ticks.map((each) => (
          <g key={each}>
            <chakra.line x1={x(each)} x2={x(each)} y1="0" y2={HEIGHT - FOOT} stroke="rule" />
            <text x={Math.min(x(each), WIDTH - 24)} y={HEIGHT - 3} textAnchor="middle">
              {each < 1000 ? `${each} Hz` : `${each / 1000} kHz`}
            </text>
          </g>
        ))}
        <chakra.path d={path.join(" ")} fill="none" stroke="wax" strokeWidth="1.4" />
        <chakra.text x="2" y={y(-12) - 3} css={{ paintOrder: "stroke", stroke: "sheet", strokeWidth: "4px" }}>
          −12 dB
        </chakra.text>
      </chakra.svg>
      <Box textStyle="cell" color="ink2">
        heard {heard ?? "as one"}
      </Box>
    </Box>
  )
}
