import { Box, Flex } from "@chakra-ui/react"
import { useNavigate } from "react-router"

import type { Gear } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, TextArea } from "../../parts/controls"
import { useSelection } from "../../parts/selection"
import { AggregateFields } from "./AggregateFields"
import { DestinationFields } from "./DestinationFields"
import { InterfaceFields } from "./InterfaceFields"
import { usePorts } from "./Pegs"
import { OutboardFields } from "./OutboardFields"
import { ProgramFields } from "./ProgramFields"
import { SourceFields } from "./SourceFields"
import { Section, useSet } from "./fields"

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
      {gear.kind === "outboard" && <OutboardFields outboard={gear} />}
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
  const devices = state.rig.gear.filter(
    (each) => each.kind === "aggregate" && each.members.some((member) => member.device === gear.id),
  )
  return (
    <Section title="Used by">
      {programs.length > 0 && <Box>opened by {programs.map((each) => each.name).join(", ")}</Box>}
      {devices.length > 0 && <Box>part of {devices.map((each) => each.name).join(", ")}</Box>}
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
