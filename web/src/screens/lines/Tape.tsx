import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { LimitSelect } from "./LimitSelect"
import { signed } from "../../parts/figures"

type Arrival = Schemas["ArrivalView"]

const LEFT = 12
const WIDTH = 1180
const LABEL_FROM = 70

/** The arrivals that differ: both ears of a pair of headphones get the same copies, and so do both legs of a source. */
function distinct(arrivals: Arrival[]): Arrival[] {
  const seen = new Map<string, Arrival>()
  for (const arrival of arrivals) {
    const key = `${arrival.way}:${arrival.delay_samples}:${arrival.from_port[0]}`
    if (!seen.has(key)) seen.set(key, arrival)
  }
  return [...seen.values()].sort((a, b) => Number(a.wet) - Number(b.wet) || b.delay_samples - a.delay_samples)
}

/** The tape measure: the chosen line's hops to a scale of milliseconds, and their sum term by term. */
export function Tape({ line, onMend, mendable }: { line: LineView; onMend: () => void; mendable: boolean }) {
  const { state, edit } = useRig()
  const [sum, setSum] = useState(false)
  useKeys([{ keys: "=", words: "How the delay adds up", run: () => setSum((on) => !on) }])
  const ways = useQuery({
    queryKey: ["ways", state.id, state.revision, line.id],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Arrival[]>(
        client.GET("/api/rigs/{rig_id}/lines/{line_id}/ways", {
          params: { path: { rig_id: state.id, line_id: line.id } },
        }),
      ),
  })
  const arrivals = distinct(ways.data ?? [])
  const longest = Math.max(line.longest_delay_ms ?? 0, ...arrivals.map((each) => each.delay_ms), 1)
  const span = Math.ceil(longest * 1.12 + 0.4)
  return (
    <chakra.section
      h="tape"
      flex="none"
      bg="sheet"
      borderTop="1px solid"
      borderColor="edge"
      px="12px"
      pt="6px"
      overflow="auto"
      aria-label={`Tape measure of ${line.name}`}
    >
      <Flex gap="10px" align="center" minH="28px" wrap="wrap">
        <b>
          {line.position} {line.name}
        </b>
        <chakra.span color={line.headline === "arrives" ? "ink2" : "wax"}>{line.told}</chakra.span>
        <Box flex="1" />
        {mendable && (
          <Button size="row" variant="link" onClick={onMend}>
            Mend <Kbd>m</Kbd>
          </Button>
        )}
        <Button
          size="row"
          variant="link"
          onClick={() => setSum((on) => !on)}
          disabled={arrivals.length === 0}
        >
          {sum ? "Scale" : "Adds up"} <Kbd>=</Kbd>
        </Button>
        <chakra.label
          display="flex"
          gap="4px"
          alignItems="center"
          textStyle="cell"
          title="Nothing else may arrive there"
        >
          <input
            type="checkbox"
            checked={line.alone}
            onChange={(event) =>
              void edit([{ edit: "set", item: line.id, values: { alone: event.target.checked } }])
            }
          />
          alone
        </chakra.label>
        <LimitSelect line={line} />
        <Window line={line} />
        <Button size="row" variant="quiet" onClick={() => void edit([{ edit: "remove", items: [line.id] }])}>
          Remove
        </Button>
      </Flex>
      {line.headline === "silent" || line.headline === "blocked" || arrivals.length === 0 ? (
        <Box color="ink2" textStyle="cell" mt="8px">
          {line.findings.map((finding) => (
            <Box key={finding}>{finding}</Box>
          ))}
        </Box>
      ) : sum ? (
        <Sum arrivals={arrivals} />
      ) : (
        <Scale
          arrivals={arrivals}
          span={span}
          limit={line.longest_delay_ms ?? null}
          apart={line.apart_samples ?? null}
        />
      )}
    </chakra.section>
  )
}

/** The line's level window in dBFS and its tag: what may arrive there, and what it is sorted under. */
function Window({ line }: { line: LineView }) {
  const { edit, say } = useRig()
  const set = (values: Record<string, string | number | null>) =>
    edit([{ edit: "set", item: line.id, values }])
  const limit = (field: "lowest_dbfs" | "highest_dbfs", text: string) => {
    const number = text === "" ? null : Number(text.replace(",", ".").replace("−", "-"))
    if (!Number.isNaN(number)) return set({ [field]: number })
    say(`${line.name}: “${text}” is no level in dBFS; type for example -24.`)
    return false
  }
  return (
    <Flex gap="4px" align="center" textStyle="cell" color="ink2">
      level
      <Commit
        value={line.lowest_dbfs ?? null}
        label={`Lowest level of ${line.name} in dBFS`}
        width="48px"
        figure
        placeholder="any"
        onKeep={(text) => limit("lowest_dbfs", text)}
      />
      …
      <Commit
        value={line.highest_dbfs ?? null}
        label={`Highest level of ${line.name} in dBFS`}
        width="48px"
        figure
        placeholder="any"
        onKeep={(text) => limit("highest_dbfs", text)}
      />
      dBFS, tag
      <Commit
        value={line.tag || null}
        label={`Tag of ${line.name}`}
        width="64px"
        placeholder="none"
        onKeep={(tag) => set({ tag })}
      />
    </Flex>
  )
}

function Scale({
  arrivals,
  span,
  limit,
  apart,
}: {
  arrivals: Arrival[]
  span: number
  limit: number | null
  apart: number | null
}) {
  const x = (ms: number) => LEFT + (ms / span) * WIDTH
  const step = [0.5, 1, 2, 5, 10, 20, 50, 100].find((each) => span / each <= 14) ?? 200
  const ticks = Array.from({ length: Math.floor(span / step) + 1 }, (_, index) => index * step)
  const shown = arrivals.slice(0, 2)
  const height = 28 + shown.length * 50 + 18
  const [late, early] = [shown[0], shown[1]]
  return (
    <chakra.svg
      viewBox={`0 0 ${WIDTH + 2 * LEFT + 40} ${height}`}
      w="100%"
      maxW="1260px"
      display="block"
      role="img"
      aria-label={shown.map((each) => `${each.way}: ${each.delay_ms.toFixed(2)} ms`).join("; ")}
      fontFamily="body"
      fontSize="12px"
      color="ink"
      css={{ "& text": { fill: "currentColor" }, "& .m": { fontFamily: "mono", fontSize: "11px" } }}
    >
      <defs>
        <pattern id="wait" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <chakra.line x1="0" y1="0" x2="0" y2="6" stroke="ink3" strokeWidth="1.2" />
        </pattern>
      </defs>
      {ticks.map((tick) => (
        <g key={tick}>
          <chakra.line x1={x(tick)} x2={x(tick)} y1="0" y2="10" stroke="edge" />
          <text className="m" x={x(tick) + 3} y="11">
            {tick === 0 ? "0 ms" : tick}
          </text>
        </g>
      ))}
      {shown.map((arrival, row) => (
        <Strip key={`${arrival.way}${arrival.delay_samples}`} arrival={arrival} x={x} y={18 + row * 50} />
      ))}
      {late && early && apart !== null && apart > 0 && (
        <g>
          {[early.delay_ms, late.delay_ms].map((ms, index) => (
            <chakra.line
              key={index}
              x1={x(ms)}
              x2={x(ms)}
              y1={index ? 58 : 108}
              y2={height - 6}
              stroke="wax"
            />
          ))}
          <chakra.line
            x1={x(early.delay_ms)}
            x2={x(late.delay_ms)}
            y1={height - 10}
            y2={height - 10}
            stroke="wax"
            strokeWidth="1.5"
          />
          <chakra.text
            x={(x(early.delay_ms) + x(late.delay_ms)) / 2}
            y={height - 14}
            textAnchor="middle"
            css={{ fill: "wax !important" }}
          >
            {apart} samples apart
          </chakra.text>
        </g>
      )}
      {limit !== null && limit <= span && (
        <g>
          <chakra.path d={`M${x(limit)} 14V${height}`} stroke="ink" />
          <chakra.path d={`M${x(limit)} 14l24 7l-24 7z`} stroke="ink" fill="sea" />
          <text x={x(limit) + 28} y="26">
            limit {limit}
          </text>
        </g>
      )}
    </chakra.svg>
  )
}

function Strip({ arrival, x, y }: { arrival: Arrival; x: (ms: number) => number; y: number }) {
  const took = (term: Arrival["terms"][number]) => (1000 * term.samples) / term.rate_hz
  const ends = arrival.terms.reduce<number[]>(
    (all, term) => [...all, (all[all.length - 1] ?? 0) + took(term)],
    [],
  )
  return (
    <g>
      <text x={x(0)} y={y + 10}>
        {arrival.way}, {arrival.assumed ? "~" : ""}
        {arrival.delay_ms.toFixed(2)} ms, {arrival.delay_samples} samples
        {arrival.inverted ? ", polarity reversed" : ""}:{" "}
        {arrival.terms.map((term) => `${term.label.replace("wait: ", "")} ${term.samples}`).join(" · ")}
      </text>
      {arrival.terms.map((term, index) => {
        const end = ends[index] ?? 0
        const from = x(end - took(term))
        const width = x(end) - from
        return (
          <g key={`${term.label}${index}`}>
            <title>{`${term.label}, ${term.gear}: ${term.samples} samples = ${took(term).toFixed(3)} ms`}</title>
            <chakra.rect
              x={from}
              y={y + 16}
              width={width}
              height="24"
              fill={term.kind === "buffer" ? "url(#wait)" : term.kind === "program" ? "wash" : "sunk"}
              stroke="ink"
              strokeDasharray={term.origin === "assumed" ? "1 2" : undefined}
            />
            {width > LABEL_FROM && (
              <>
                <chakra.rect
                  x={from + 3}
                  y={y + 20}
                  width={Math.min(width - 6, term.label.length * 5.6 + 44)}
                  height="16"
                  fill="sheet"
                />
                <text x={from + 6} y={y + 32}>
                  {term.label} <tspan className="m">{term.samples}</tspan>
                </text>
              </>
            )}
          </g>
        )
      })}
    </g>
  )
}

/** Each copy's delay term by term with where the figure is from, and its level port by port. */
function Sum({ arrivals }: { arrivals: Arrival[] }) {
  return (
    <Flex gap="48px" mt="4px" align="flex-start">
      {arrivals.map((arrival) => (
        <Flex key={`${arrival.way}${arrival.delay_samples}`} gap="24px" align="flex-start">
          <Box>
            <Box textStyle="head">{arrival.way}</Box>
            <chakra.table textStyle="cell" aria-label={`Adds up, ${arrival.way}`}>
              <tbody>
                {arrival.terms.map((term, index) => (
                  <tr key={index}>
                    <chakra.td pr="16px">
                      {term.label}, {term.gear}
                    </chakra.td>
                    <chakra.td pr="16px" textAlign="right">
                      <Figure>
                        {term.origin === "assumed" ? "~" : ""}
                        {term.samples}
                      </Figure>
                    </chakra.td>
                    <chakra.td pr="16px" textAlign="right">
                      <Figure>{((1000 * term.samples) / term.rate_hz).toFixed(3)} ms</Figure>
                    </chakra.td>
                    <chakra.td color="ink2">{term.origin}</chakra.td>
                  </tr>
                ))}
                <chakra.tr fontWeight="600" borderTop="1px solid" borderColor="ink">
                  <td>together</td>
                  <chakra.td pr="16px" textAlign="right">
                    <Figure>
                      {arrival.assumed ? "~" : ""}
                      {arrival.delay_samples}
                    </Figure>
                  </chakra.td>
                  <chakra.td pr="16px" textAlign="right">
                    <Figure>{arrival.delay_ms.toFixed(3)} ms</Figure>
                  </chakra.td>
                  <td />
                </chakra.tr>
              </tbody>
            </chakra.table>
          </Box>
          <Box>
            <Box textStyle="head">Level on the way</Box>
            <chakra.table textStyle="cell" aria-label={`Levels, ${arrival.way}`}>
              <tbody>
                {arrival.hops.map((hop) => (
                  <chakra.tr key={hop.said + hop.unit} color={hop.over_db > 0 ? "wax" : "ink"}>
                    <chakra.td pr="16px">{hop.said}</chakra.td>
                    <chakra.td textAlign="right">
                      <Figure>
                        {arrival.level_assumed ? "~" : ""}
                        {signed(hop.level, 1)} {hop.unit}
                      </Figure>
                    </chakra.td>
                    <td>{hop.over_db > 0 && ` clips by ${hop.over_db.toFixed(1)} dB`}</td>
                  </chakra.tr>
                ))}
              </tbody>
            </chakra.table>
          </Box>
        </Flex>
      ))}
    </Flex>
  )
}
