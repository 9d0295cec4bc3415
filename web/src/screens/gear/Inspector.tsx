import { Box, Flex, chakra } from "@chakra-ui/react"
import { useNavigate } from "react-router"

import type { Destination, Edit, Gear, Source } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit, type Kept } from "../../parts/Commit"
import { Button, Select, TextArea } from "../../parts/controls"
import { usePropose } from "../../parts/propose"
import { useSelection } from "../../parts/selection"
import { AggregateFields } from "./AggregateFields"
import { InterfaceFields, Some } from "./InterfaceFields"
import { usePorts } from "./Pegs"
import { ProgramFields } from "./ProgramFields"

/** Everything about one piece of gear that can be changed. */
export function Inspector({ gear }: { gear: Gear }) {
  const { edit } = useRig()
  const set = useSet(gear.id)
  return (
    <Box p="10px" textStyle="cell" data-inspector>
      <Flex gap="6px" mb="8px">
        <Commit value={gear.name} label="Name of the gear" onKeep={(name) => set({ name })} />
        <Button size="row" variant="quiet" onClick={() => void edit([{ edit: "remove", items: [gear.id] }])}>
          Remove
        </Button>
      </Flex>
      {gear.kind === "source" && <SourceFields source={gear} />}
      {gear.kind === "interface" && <InterfaceFields box={gear} />}
      {gear.kind === "aggregate" && <AggregateFields device={gear} />}
      {gear.kind === "program" && <ProgramFields program={gear} />}
      {gear.kind === "destination" && <DestinationFields destination={gear} />}
      <UsedBy gear={gear} />
      <Section title="Notes">
        <TextArea
          key={gear.notes}
          w="100%"
          h="64px"
          py="4px"
          aria-label="Notes"
          defaultValue={gear.notes}
          onBlur={(event) => {
            if (event.target.value !== gear.notes) set({ notes: event.target.value })
          }}
        />
      </Section>
    </Box>
  )
}

/** Sets fields of one thing. */
export function useSet(item: string) {
  const { edit } = useRig()
  return (values: Extract<Edit, { edit: "set" }>["values"]) => edit([{ edit: "set", item, values }])
}

/** Keeps a typed number; says so in place when it is none. */
export function useNumber() {
  const { say } = useRig()
  return (label: string, text: string, keep: (number: number) => Kept): Kept => {
    const number = Number(text.replace(",", "."))
    if (text !== "" && !Number.isNaN(number)) return keep(number)
    say(`${label}: “${text}” is no number.`)
    return false
  }
}

export function Section(props: { title: string; note?: string; children: React.ReactNode }) {
  const { title, note, children } = props
  return (
    <Box mb="10px" data-section={title}>
      <chakra.h3 textStyle="head" borderBottom="1px solid" borderColor="rule" mb="4px">
        {title}
        {note && <chakra.span fontWeight="400">: {note}</chakra.span>}
      </chakra.h3>
      {children}
    </Box>
  )
}

export function Row({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <Flex as="label" align="center" gap="6px" minH="28px">
      <Box flex="1">{words}</Box>
      {children}
    </Flex>
  )
}

export function NumberRow(props: {
  words: string
  value: number
  unit?: string
  onKeep: (value: number) => Kept
}) {
  const number = useNumber()
  return (
    <Row words={props.words}>
      <Commit
        value={props.value}
        label={props.words}
        width="72px"
        figure
        onKeep={(text) => number(props.words, text, props.onKeep)}
      />
      <Box w="48px" color="ink2">
        {props.unit}
      </Box>
    </Row>
  )
}

export function Check(props: {
  words: string
  label?: string
  on: boolean
  onChange: (on: boolean) => void
}) {
  return (
    <Row words={props.words}>
      <input
        type="checkbox"
        checked={props.on}
        aria-label={props.label ?? props.words}
        onChange={(event) => props.onChange(event.target.checked)}
      />
    </Row>
  )
}

const ORIGINS = ["measured", "described", "typed", "assumed"] as const
export type Origins = Record<string, (typeof ORIGINS)[number]>

/** A figure with where it is from; one from nobody carries ~, and so does every sum it is in. */
export function OriginRow(props: {
  item: string
  field: string
  words: string
  /** What it is called where its words alone would not tell it from others. */
  label?: string
  unit: string
  value: number
  origins: Origins | undefined
  /** Words with the number, such as a unit, are for the core to read. */
  worded?: boolean
}) {
  const { edit } = useRig()
  const number = useNumber()
  const label = props.label ?? props.words
  const origin = props.origins?.[props.field] ?? "assumed"
  const set = (value: number | string, from: (typeof ORIGINS)[number]) =>
    edit([{ edit: "set", item: props.item, values: { [props.field]: value }, origin: from }])
  return (
    <Row words={props.words}>
      <chakra.span color="ink2" w="8px">
        {origin === "assumed" ? "~" : ""}
      </chakra.span>
      <Commit
        value={props.value}
        label={label}
        width="60px"
        figure
        onKeep={(text) =>
          props.worded ? set(text, "typed") : number(label, text, (value) => set(value, "typed"))
        }
      />
      <Box w="46px" color="ink2">
        {props.unit}
      </Box>
      <Select
        w="100px"
        aria-label={`Where ${label.toLowerCase()} is from`}
        value={origin}
        onChange={(event) => void set(props.value, event.target.value as (typeof ORIGINS)[number])}
      >
        {ORIGINS.map((each) => (
          <option key={each}>{each}</option>
        ))}
      </Select>
    </Row>
  )
}

/** The lines that begin or end here or pass through, and the programs that open a box. */
function UsedBy({ gear }: { gear: Gear }) {
  const { state } = useRig()
  const { chooseLine } = useSelection()
  const go = useNavigate()
  const ports = usePorts()
  const own = new Set([gear.id])
  if (gear.kind === "program")
    for (const item of [...gear.inputs, ...gear.tracks, ...gear.voices, ...gear.buses, ...gear.outputs])
      own.add(item.id)
  const ids = new Set<string>()
  for (const use of ports.values()) if (own.has(use.port[0])) for (const line of use.lines) ids.add(line)
  for (const line of state.survey.lines)
    if ([...line.from_ports, ...line.to_ports].some((port) => own.has(port[0]))) ids.add(line.id)
  const lines = state.survey.lines.filter((line) => ids.has(line.id))
  const programs = state.rig.gear.filter(
    (each) => each.kind === "program" && [each.device, each.output_device].includes(gear.id),
  )
  return (
    <Section title="Used by">
      {programs.length > 0 && <Box>opened by {programs.map((each) => each.name).join(", ")}</Box>}
      {lines.length === 0 && <Box color="ink2">no line</Box>}
      <Flex wrap="wrap" gap="4px">
        {lines.slice(0, 24).map((line) => (
          <Button
            key={line.id}
            size="row"
            variant="link"
            onClick={() => {
              chooseLine(line.id)
              void go(`/rigs/${state.id}/lines`)
            }}
          >
            {line.name}
          </Button>
        ))}
        {lines.length > 24 && <span>and {lines.length - 24} more</span>}
      </Flex>
    </Section>
  )
}

/** Where a source is plugged in; another jack moves its lead there. */
function PluggedInto({ source, leg }: { source: Source; leg: number }) {
  const { state } = useRig()
  const propose = usePropose()
  const { patches, gear } = state.rig
  const lead = patches.find((each) => each.from_port[0] === source.id && each.from_port[2] === leg)
  const taken = (box: string, jack: number) => {
    const there = patches.find((each) => each.to_port[0] === box && each.to_port[2] === jack)
    return gear.find((each) => each.id === there?.from_port[0])?.name ?? "free"
  }
  const side = source.width === 2 ? ` ${"LR"[leg - 1]}` : ""
  return (
    <Row words={`Plugged into${side}`}>
      <Select
        w="170px"
        aria-label={`Plugged into${side}`}
        value={lead ? `${lead.to_port[0]}/${lead.to_port[2]}` : ""}
        onChange={(event) => {
          const [box = "", jack = ""] = event.target.value.split("/")
          const edits: Edit[] = lead ? [{ edit: "remove", items: [lead.id] }] : []
          if (box)
            edits.push({
              edit: "plug",
              from_port: [source.id, "out", leg],
              to_port: [box, "jack_in", Number(jack)],
              replace: true,
            })
          const words = `plug ${source.name}${side} into ${event.target.selectedOptions[0]?.text ?? "nothing"}`
          void propose({ edits, words, unlessHarmless: true })
        }}
      >
        <option value="">nothing</option>
        {gear.map(
          (box) =>
            box.kind === "interface" &&
            Array.from({ length: box.jack_in }, (_, index) => (
              <option key={`${box.id}/${index}`} value={`${box.id}/${index + 1}`}>
                {box.name}, jack {index + 1}: {taken(box.id, index + 1)}
              </option>
            )),
        )}
      </Select>
    </Row>
  )
}

function SourceFields({ source }: { source: Source }) {
  const set = useSet(source.id)
  const { state } = useRig()
  return (
    <Section title="Source">
      {Array.from({ length: source.width }, (_, leg) => (
        <PluggedInto key={leg} source={source} leg={leg + 1} />
      ))}
      <Row words="Kind">
        <Select
          aria-label="Kind"
          value={source.source_kind}
          onChange={(event) => set({ source_kind: event.target.value })}
        >
          {["microphone", "instrument", "line player"].map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </Select>
      </Row>
      <Check words="Stereo" on={source.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      <OriginRow
        item={source.id}
        field="level_dbu"
        words="Level"
        unit="dBu"
        worded
        value={source.level_dbu}
        origins={source.origins}
      />
      <Some
        words="Headroom needed (dB)"
        none={String(-state.rig.alignment_dbfs)}
        value={source.headroom_db}
        onKeep={(headroom_db) => set({ headroom_db })}
      />
      <Row words="Told in">
        <Select
          aria-label="Level told in"
          value={source.level_unit}
          onChange={(event) => void set({ level_unit: event.target.value })}
        >
          <option value="dBu">dBu, professional</option>
          <option value="dBV">dBV, consumer</option>
        </Select>
      </Row>
      <Box color="ink2" mb="4px">
        Type the level as its panel tells it: +4 dBu, -10 dBV
      </Box>
      <Check
        words="Needs phantom supply"
        on={source.needs_phantom}
        onChange={(needs_phantom) => set({ needs_phantom })}
      />
      <Check
        words="Needs a high-impedance input"
        on={source.needs_high_impedance}
        onChange={(needs_high_impedance) => set({ needs_high_impedance })}
      />
    </Section>
  )
}

function DestinationFields({ destination }: { destination: Destination }) {
  const { state, edit } = useRig()
  const set = useSet(destination.id)
  const number = useNumber()
  const boxes = state.rig.gear.filter((gear) => gear.kind === "interface")
  const leads = state.rig.patches.filter((patch) => patch.to_port[0] === destination.id)
  return (
    <Section title="Destination">
      <Row words="Kind">
        <Select
          aria-label="Kind"
          value={destination.destination_kind}
          onChange={(event) => set({ destination_kind: event.target.value })}
        >
          {["headphones", "loudspeakers", "feed"].map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </Select>
      </Row>
      <Check words="Stereo" on={destination.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      <Row words="Takes at most">
        <Commit
          value={destination.highest_dbu ?? null}
          label="Highest level in dBu"
          width="60px"
          figure
          placeholder="any"
          onKeep={(text) =>
            text === ""
              ? set({ highest_dbu: null })
              : number("Highest level", text, (highest_dbu) => set({ highest_dbu }))
          }
        />
        <Box w="46px" color="ink2">
          dBu
        </Box>
      </Row>
      <Row words="Expects">
        <Select
          aria-label="Level expected in"
          value={destination.level_unit}
          onChange={(event) => void set({ level_unit: event.target.value })}
        >
          <option value="dBu">dBu, professional</option>
          <option value="dBV">dBV, consumer</option>
        </Select>
      </Row>
      {Array.from({ length: destination.width }, (_, leg) => {
        const lead = leads.find((patch) => patch.to_port[2] === leg + 1)
        return (
          <Row key={leg} words={destination.width === 2 ? `${"LR"[leg]} from` : "from"}>
            <Select
              aria-label={`Leg ${leg + 1} from`}
              value={lead ? `${lead.from_port[0]}/${lead.from_port[2]}` : ""}
              onChange={(event) => {
                const [box, jack] = event.target.value.split("/")
                if (!box) {
                  if (lead) void edit([{ edit: "remove", items: [lead.id] }])
                } else
                  void edit([
                    {
                      edit: "plug",
                      from_port: [box, "jack_out", Number(jack)],
                      to_port: [destination.id, "in", leg + 1],
                      replace: true,
                    },
                  ])
              }}
            >
              <option value="">nothing</option>
              {boxes.flatMap((box) =>
                Array.from({ length: box.jack_out }, (_, jack) => (
                  <option key={`${box.id}/${jack}`} value={`${box.id}/${jack + 1}`}>
                    {box.name} out {jack + 1}
                  </option>
                )),
              )}
            </Select>
          </Row>
        )
      })}
    </Section>
  )
}
