import { Box, Flex, chakra } from "@chakra-ui/react"
import { useNavigate } from "react-router"

import type { Edit, Gear } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit, type Kept } from "../../parts/Commit"
import { Button, Select, TextArea } from "../../parts/controls"
import { useSelection } from "../../parts/selection"
import { AggregateFields } from "./AggregateFields"
import { DestinationFields } from "./DestinationFields"
import { InterfaceFields } from "./InterfaceFields"
import { usePorts } from "./Pegs"
import { ProgramFields } from "./ProgramFields"
import { SourceFields } from "./SourceFields"

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
