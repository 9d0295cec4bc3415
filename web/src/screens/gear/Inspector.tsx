import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Destination, Edit, Gear, Source } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit, type Kept } from "../../parts/Commit"
import { Button, Select, TextArea } from "../../parts/controls"
import { InterfaceFields } from "./InterfaceFields"
import { usePorts } from "./Pegs"
import { ProgramFields } from "./ProgramFields"

/** Everything about one piece of gear that can be changed. */
export function Inspector({ gear, port }: { gear: Gear; port: string | null }) {
  const { edit } = useRig()
  const set = useSet(gear.id)
  return (
    <Box p="10px" textStyle="cell">
      <Flex gap="6px" mb="8px">
        <Commit value={gear.name} label="Name of the gear" onKeep={(name) => set({ name })} />
        <Button size="row" variant="quiet" onClick={() => void edit([{ edit: "remove", items: [gear.id] }])}>
          Remove
        </Button>
      </Flex>
      {port && <PortWords port={port} />}
      {gear.kind === "source" && <SourceFields source={gear} />}
      {gear.kind === "interface" && <InterfaceFields box={gear} />}
      {gear.kind === "program" && <ProgramFields program={gear} />}
      {gear.kind === "destination" && <DestinationFields destination={gear} />}
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

export function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <Box mb="10px">
      <chakra.h3 textStyle="head" borderBottom="1px solid" borderColor="rule" mb="4px">
        {title}
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

export function Check(props: { words: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <Row words={props.words}>
      <input
        type="checkbox"
        checked={props.on}
        aria-label={props.words}
        onChange={(event) => props.onChange(event.target.checked)}
      />
    </Row>
  )
}

function PortWords({ port }: { port: string }) {
  const use = usePorts().get(port)
  const { state } = useRig()
  const number = port.split("/").at(-1)
  const lines = use?.lines
    .map((id) => state.survey.lines.find((line) => line.id === id)?.name)
    .filter(Boolean)
  return (
    <Box bg="wash" p="6px" mb="8px" borderLeft="3px solid" borderColor="sea">
      <b>{use?.said ?? `Port ${number}`}</b>
      {use ? (
        <>
          <Box>fed by {use.fed_by.join(", ") || "nothing"}</Box>
          <Box>feeds {use.feeds.join(", ") || "nothing"}</Box>
          {lines && lines.length > 0 && <Box>lines: {lines.join(", ")}</Box>}
        </>
      ) : (
        <Box>nothing is joined to it</Box>
      )}
    </Box>
  )
}

function SourceFields({ source }: { source: Source }) {
  const set = useSet(source.id)
  return (
    <Section title="Source">
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
      <NumberRow
        words="Nominal level"
        unit="dBu"
        value={source.level_dbu}
        onKeep={(level_dbu) => set({ level_dbu })}
      />
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
