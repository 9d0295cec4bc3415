import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { numberOf } from "../../parts/figures"
import { WANTED_TAPS } from "../../api/rules"
import { Commit } from "../../parts/Commit"
import { Button, Kbd, Select, TickBox } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { LimitSelect } from "./LimitSelect"
import { Way, type OnSet, type Values } from "./Way"
import { Meters } from "./Meters"
import { Response } from "./Response"
import { COLOURS } from "./Swatch"
import { Scale } from "./TapeScale"
import { Sum } from "./TapeSum"

type Arrival = Schemas["ArrivalView"]

/**
 * The arrivals that differ: both ears of a pair of headphones get the same copies, and so do both legs of a source. Of
 * several sources each is named where not all come alike.
 */
function distinct(arrivals: Arrival[]): Arrival[] {
  const seen = new Map<string, { first: Arrival; from: Set<string> }>()
  for (const arrival of arrivals) {
    const key = `${arrival.way}:${arrival.delay_samples}`
    const known = seen.get(key) ?? { first: arrival, from: new Set<string>() }
    seen.set(key, { ...known, from: known.from.add(arrival.from_port[0]) })
  }
  const all = new Set(arrivals.map((arrival) => arrival.from_port[0]))
  const told = [...seen.values()].map(({ first, from }) =>
    from.size < all.size
      ? {
          ...first,
          way: `${first.from_words}${from.size > 1 ? ` and ${from.size - 1} more` : ""}: ${first.way}`,
        }
      : first,
  )
  return told.sort((a, b) => Number(a.wet) - Number(b.wet) || b.delay_samples - a.delay_samples)
}

interface Props {
  line: LineView
  /** Other lines that are marked with it: what is set goes for all of them. */
  also: LineView[]
  onMend: () => void
  mendable: boolean
}

/** The tape measure: the chosen line's hops to a scale of milliseconds, and their sum term by term. */
export function Tape({ line, also, onMend, mendable }: Props) {
  const { state, edit } = useRig()
  const lines = [line, ...also]
  const setOf = (some: LineView[], values: Values) =>
    edit(some.map((each) => ({ edit: "set", item: each.id, values })))
  const set = (values: Values) => setOf(lines, values)
  const [shown, setShown] = useState<"scale" | "sum" | "meters">("scale")
  const turn = (to: "sum" | "meters") => setShown((now) => (now === to ? "scale" : to))
  const sum = shown === "sum"
  useKeys([
    { keys: "=", words: "How the delay adds up", run: () => turn("sum") },
    { keys: "e", words: "A level check at both meters", run: () => turn("meters") },
  ])
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
  const longest = Math.max(line.longest_delay_ms ?? 0, ...arrivals.map((each) => each.most_ms), 1)
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
        {also.length > 0 && (
          <chakra.span textStyle="cell" color="sea">
            what is set here goes for these {lines.length} lines
          </chakra.span>
        )}
        <chakra.span color={line.headline === "arrives" ? "ink2" : "wax"}>{line.told}</chakra.span>
        <Box flex="1" />
        {mendable && (
          <Button size="row" variant="link" onClick={onMend}>
            Mend <Kbd>m</Kbd>
          </Button>
        )}
        <Button size="row" variant="link" onClick={() => turn("sum")} disabled={arrivals.length === 0}>
          {sum ? "Scale" : "Adds up"} <Kbd>=</Kbd>
        </Button>
        <Button size="row" variant="link" onClick={() => turn("meters")} disabled={arrivals.length === 0}>
          {shown === "meters" ? "Scale" : "Meters"} <Kbd>e</Kbd>
        </Button>
        <TickBox
          words="alone"
          title="Nothing else may arrive there"
          on={line.alone}
          onTurn={(alone) => void set({ alone })}
        />
        {line.purpose === "record" && (
          <Select
            w="92px"
            aria-label={`Tap of ${line.name}`}
            title="At which tap of a mixer it is wanted"
            value={line.tap}
            onChange={(event) =>
              void setOf(
                lines.filter((each) => each.purpose === "record"),
                { tap: event.target.value },
              )
            }
          >
            {WANTED_TAPS.map((tap) => (
              <option key={tap} value={tap}>
                {tap === "any" ? "any tap" : tap}
              </option>
            ))}
          </Select>
        )}
        <LimitSelect line={line} onSet={set} />
        <Way line={line} onSet={set} />
        <Window line={line} onSet={set} />
        <Button
          size="row"
          variant="quiet"
          onClick={() => void edit([{ edit: "remove", items: lines.map((each) => each.id) }])}
        >
          {also.length > 0 ? `Remove ${lines.length}` : "Remove"}
        </Button>
      </Flex>
      {line.headline === "silent" || line.headline === "blocked" || arrivals.length === 0 ? (
        <Box color="ink2" textStyle="cell" mt="8px">
          {line.findings.map((finding) => (
            <Box key={finding.words}>
              {finding.kind}: {finding.words}
            </Box>
          ))}
        </Box>
      ) : sum ? (
        <Sum arrivals={arrivals} />
      ) : shown === "meters" ? (
        <Meters key={line.id} line={line} />
      ) : (
        <Flex>
          <Box flex="1" minW="0">
            <Scale
              arrivals={arrivals}
              span={span}
              limit={line.longest_delay_ms ?? null}
              apart={line.apart_samples ?? null}
            />
          </Box>
          {line.apart_samples !== null && <Response line={line} />}
        </Flex>
      )}
    </chakra.section>
  )
}

/** The line's level window in dBFS and its tag: what may arrive there, and what it is sorted under. */
function Window({ line, onSet }: { line: LineView; onSet: OnSet }) {
  const { say } = useRig()
  const limit = (field: "lowest_dbfs" | "highest_dbfs", text: string) => {
    const number = text === "" ? null : (numberOf(text) ?? NaN)
    if (!Number.isNaN(number)) return onSet({ [field]: number })
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
        onKeep={(tag) => onSet({ tag })}
      />
      colour
      <Select
        aria-label={`Colour of ${line.name}`}
        value={line.colour}
        onChange={(event) => void onSet({ colour: event.target.value })}
      >
        {Object.keys(COLOURS).map((each) => (
          <option key={each}>{each}</option>
        ))}
      </Select>
    </Flex>
  )
}
