import { chakra } from "@chakra-ui/react"

import type { Schemas } from "../../api/client"
import { fromTo } from "../../parts/figures"

type Arrival = Schemas["ArrivalView"]

const LEFT = 12
const WIDTH = 1180
const LABEL_FROM = 70

export function Scale({
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
      aria-label={shown.map((each) => `${each.way}: ${fromTo(each.delay_ms, each.most_ms, 2)} ms`).join("; ")}
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
  const took = (term: Arrival["terms"][number]) => (1000 * (term.samples + (term.spread ?? 0))) / term.rate_hz
  const ends = arrival.terms.reduce<number[]>(
    (all, term) => [...all, (all[all.length - 1] ?? 0) + took(term)],
    [],
  )
  return (
    <g>
      <text x={x(0)} y={y + 10}>
        {arrival.way}, {arrival.assumed ? "~" : ""}
        {fromTo(arrival.delay_ms, arrival.most_ms, 2)} ms,{" "}
        {fromTo(arrival.delay_samples, arrival.most_samples)} samples
        {arrival.inverted ? ", polarity reversed" : ""}:{" "}
        {arrival.terms
          .map((term) => `${term.label} ${fromTo(term.samples, term.samples + (term.spread ?? 0))}`)
          .join(" · ")}
      </text>
      {arrival.terms.map((term, index) => {
        const end = ends[index] ?? 0
        const from = x(end - took(term))
        const width = x(end) - from
        return (
          <g key={`${term.label}${index}`}>
            <title>{`${term.label}, ${term.gear}: ${fromTo(term.samples, term.samples + (term.spread ?? 0))} samples, ${term.spread ? "up to" : "="} ${took(term).toFixed(3)} ms`}</title>
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
                  {term.label}{" "}
                  <tspan className="m">{fromTo(term.samples, term.samples + (term.spread ?? 0))}</tspan>
                </text>
              </>
            )}
          </g>
        )
      })}
    </g>
  )
}
