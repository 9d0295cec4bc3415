import { Box, Flex } from "@chakra-ui/react"

import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Select, TickBox } from "../../parts/controls"
import { PanField } from "./Sends"
import { Section, useNumber, useSet } from "./fields"

/** Buses and named outputs, as something in the program can be sent to. */
export function OutputSelect(props: {
  program: Program
  label: string
  value: string | null | undefined
  not?: string
  onChange: (output: string | null) => void
}) {
  const { program } = props
  return (
    <Select
      flex="1"
      aria-label={props.label}
      value={props.value ?? ""}
      onChange={(event) => props.onChange(event.target.value || null)}
    >
      <option value="">no output</option>
      {program.outputs.map((item, index) => (
        <option key={item.id} value={item.id}>
          {index + 1} {item.name}
        </option>
      ))}
      {program.buses
        .filter((bus) => bus.id !== props.not)
        .map((bus) => (
          <option key={bus.id} value={bus.id}>
            bus {bus.name}
          </option>
        ))}
    </Select>
  )
}

type Far = NonNullable<Program["voices"][number]["far"]>

interface SinkItem {
  id: string
  name: string
  output?: string | null | undefined
}

/** A figure of a voice or bus; what an empty field means is `none`, where it may be empty. */
type SinkFigure = { label: string; field: string; value: number | null; none?: string }

/** Voices or buses: each with a name, figures and where it goes. */
function SinkItems<Item extends SinkItem>(props: {
  program: Program
  what: "voice" | "bus"
  title: string
  note: string
  items: Item[]
  figures: (item: Item) => SinkFigure[]
  more: (item: Item) => React.ReactNode
  add?: string
  beside?: React.ReactNode
  onAdd: () => void
}) {
  const { edit } = useRig()
  const number = useNumber()
  const { program, what } = props
  const set = (item: string, values: Record<string, string | number | null>) =>
    edit([{ edit: "set", item, values }])
  return (
    <Section title={props.title} note={props.note}>
      {props.items.map((item, index) => (
        <Box key={item.id} mb="4px">
          <Flex gap="4px" align="center" minH="28px">
            <Figure w="20px" textAlign="right">
              {index + 1}
            </Figure>
            <Commit
              value={item.name}
              label={`Name of ${what} ${index + 1}`}
              onKeep={(name) => set(item.id, { name })}
            />
            <Box w="110px" flex="none" display="flex">
              <OutputSelect
                program={program}
                label={`Output of ${what} ${item.name}`}
                value={item.output}
                not={item.id}
                onChange={(output) => void set(item.id, { output })}
              />
            </Box>
            <Button
              size="row"
              variant="quiet"
              aria-label={`Remove ${what} ${item.name}`}
              onClick={() => void edit([{ edit: "remove", items: [item.id] }])}
            >
              −
            </Button>
          </Flex>
          <Flex gap="4px" align="center" wrap="wrap" minH="28px" pl="24px">
            {props.figures(item).map(({ label, field, value, none }) => (
              <Flex key={field} as="label" gap="4px" align="center" color="ink2">
                {label}
                <Commit
                  value={value}
                  label={`${label} of ${what} ${item.name}`}
                  width="52px"
                  figure
                  placeholder={none}
                  onKeep={(text) =>
                    text === "" && none !== undefined
                      ? set(item.id, { [field]: null })
                      : number(label, text, (typed) => set(item.id, { [field]: typed }))
                  }
                />
              </Flex>
            ))}
            {props.more(item)}
          </Flex>
        </Box>
      ))}
      <Flex gap="4px">
        <Button size="row" onClick={props.onAdd}>
          Add {props.add ?? what}
        </Button>
        {props.beside}
      </Flex>
    </Section>
  )
}

export function Voices({ program }: { program: Program }) {
  const { edit, state } = useRig()
  const none = String(-state.rig.alignment_dbfs)
  const output = program.outputs[0]?.id ?? null
  const call = program.program_kind === "call"
  const names = [`${call ? "Far end" : "Voice"} ${program.voices.length + 1}`]
  const width = call ? 1 : 2
  return (
    <SinkItems
      program={program}
      what="voice"
      title={call ? "Far ends" : "Voices"}
      note={
        call
          ? "who speaks there; level in dBFS, headroom in dB"
          : "what it sounds itself; level in dBFS, headroom in dB"
      }
      items={program.voices}
      figures={(voice) => [
        { label: "Level", field: "level_dbfs", value: voice.level_dbfs },
        { label: "Headroom", field: "headroom_db", value: voice.headroom_db ?? null, none },
      ]}
      more={(voice) => (
        <>
          <VoicePan voice={voice} />
          {voice.far && <FarEnd voice={voice} far={voice.far} />}
        </>
      )}
      add={call ? "far end" : "voice"}
      beside={
        program.voices.length > 1 && (
          <Button
            size="row"
            variant="quiet"
            onClick={() => void edit([{ edit: "spread_voices", program: program.id }])}
          >
            Each its own output
          </Button>
        )
      }
      onAdd={() => void edit([{ edit: "add_voices", program: program.id, names, width, output }])}
    />
  )
}

function VoicePan({ voice }: { voice: Program["voices"][number] }) {
  const set = useSet(voice.id)
  return (
    <Flex as="label" gap="4px" align="center" color="ink2">
      Pan
      <PanField label={`Pan of voice ${voice.name}`} value={voice.pan} onKeep={(pan) => set({ pan })} />
    </Flex>
  )
}

const WAYS = [
  ["from_low_ms", "From it", "least, from"],
  ["from_high_ms", "to", "most, from"],
  ["to_low_ms", "ms; to it", "least, to"],
  ["to_high_ms", "to", "most, to"],
] as const

/** How long a call takes outside, each way; until somebody says so it is assumed. */
function FarEnd({ voice, far }: { voice: Program["voices"][number]; far: Far }) {
  const set = useSet(voice.id)
  const number = useNumber()
  return (
    <Flex gap="4px" align="center" color="ink2" basis="100%">
      {far.assumed && <span title="Nobody has said so">~</span>}
      {WAYS.map(([field, words, said]) => (
        <Flex key={field} as="label" gap="4px" align="center">
          {words}
          <Commit
            value={far[field]}
            label={`Delay in ms ${said} ${voice.name}`}
            width="44px"
            figure
            onKeep={(text) =>
              number("Delay", text, (ms) => set({ far: { ...far, [field]: ms, assumed: false } }))
            }
          />
        </Flex>
      ))}
      ms
    </Flex>
  )
}

/** A bus is muted, or what passes it is wet. */
function BusSwitches({ bus }: { bus: Program["buses"][number] }) {
  const set = useSet(bus.id)
  return (
    <>
      {(["muted", "effects"] as const).map((field) => (
        <TickBox
          key={field}
          words={field === "effects" ? "wet" : "muted"}
          label={`Bus ${bus.name} ${field}`}
          on={bus[field]}
          onTurn={(on) => void set({ [field]: on })}
        />
      ))}
    </>
  )
}

export function Buses({ program }: { program: Program }) {
  const { edit } = useRig()
  const output = program.outputs[0]?.id ?? null
  const names = [`Bus ${program.buses.length + 1}`]
  return (
    <SinkItems
      program={program}
      what="bus"
      title="Buses"
      note="gain in dB, effect delay in samples"
      items={program.buses}
      figures={(bus) => [
        { label: "Gain", field: "gain_db", value: bus.gain_db },
        { label: "Delay", field: "effect_delay_samples", value: bus.effect_delay_samples },
      ]}
      more={(bus) => <BusSwitches bus={bus} />}
      onAdd={() => void edit([{ edit: "add_buses", program: program.id, names, output }])}
    />
  )
}
