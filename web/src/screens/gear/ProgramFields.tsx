import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Select } from "../../parts/controls"
import { Check, Row, Section, useNumber, useSet } from "./Inspector"

type Track = Program["tracks"][number]
type ProgramPort = Program["inputs"][number]

/** A program: its device and driver, enabled channels, inputs, tracks, voices, buses and outputs. */
export function ProgramFields({ program }: { program: Program }) {
  const { state, edit } = useRig()
  const boxes = state.rig.gear.filter((gear) => gear.kind === "interface")
  const box = boxes.find((each) => each.id === program.device)
  const set = useSet(program.id)
  return (
    <>
      <Section title="Device">
        <Row words="Kind">
          <Select
            aria-label="Kind"
            value={program.program_kind}
            onChange={(event) => void set({ program_kind: event.target.value })}
          >
            {KINDS.map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Select>
        </Row>
        <Row words="Opens">
          <Select
            aria-label="Device"
            value={program.device ?? ""}
            onChange={(event) =>
              void edit([{ edit: "set_device", program: program.id, device: event.target.value || null }])
            }
          >
            <option value="">no device</option>
            {boxes.map((each) => (
              <option key={each.id} value={each.id}>
                {each.name}
              </option>
            ))}
          </Select>
        </Row>
        {box && box.drivers.length > 1 && (
          <Row words="By">
            <Select
              aria-label="Driver"
              value={program.driver ?? ""}
              onChange={(event) =>
                void edit([
                  {
                    edit: "set_device",
                    program: program.id,
                    device: box.id,
                    driver: event.target.value || null,
                  },
                ])
              }
            >
              <option value="">its first, {box.drivers[0]?.kind}</option>
              {box.drivers.map((driver, index) => (
                <option key={driver.id} value={driver.id}>
                  {index + 1} {driver.kind}
                  {driver.installed ? "" : ", not installed"}
                </option>
              ))}
            </Select>
          </Row>
        )}
        <Check
          words="Lets its device go in the background"
          on={program.lets_go_in_background}
          onChange={(lets_go_in_background) => void set({ lets_go_in_background })}
        />
        <Check
          words="Arms an input on one track only"
          on={program.one_track_per_input}
          onChange={(one_track_per_input) => void set({ one_track_per_input })}
        />
        {box && (
          <>
            <Enabled program={program} side="input" size={box.capture} on={program.enabled_in} />
            <Enabled program={program} side="output" size={box.playback} on={program.enabled_out} />
          </>
        )}
      </Section>
      <Ports program={program} side="input" items={program.inputs} size={box?.capture ?? 0} />
      <Tracks program={program} />
      <Voices program={program} />
      <Buses program={program} />
      <Ports program={program} side="output" items={program.outputs} size={box?.playback ?? 0} />
    </>
  )
}

const KINDS = ["recorder", "sampler", "player", "call", "mixing program", "system sounds"]

/** Buses and named outputs, as something in the program can be sent to. */
function OutputSelect(props: {
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

/** What the program sounds itself: name, level, where it goes. */
function Voices({ program }: { program: Program }) {
  const { edit } = useRig()
  const number = useNumber()
  const set = (item: string, values: Record<string, string | number | null>) =>
    edit([{ edit: "set", item, values }])
  return (
    <Section title="Voices" note="what it sounds itself: level in dBFS, output">
      {program.voices.map((voice, index) => (
        <Flex key={voice.id} gap="4px" align="center" minH="28px">
          <Figure w="20px" textAlign="right">
            {index + 1}
          </Figure>
          <Commit
            value={voice.name}
            label={`Name of voice ${index + 1}`}
            onKeep={(name) => set(voice.id, { name })}
          />
          <Commit
            value={voice.level_dbfs}
            label={`Level of voice ${voice.name}`}
            width="48px"
            figure
            onKeep={(text) => number("Level", text, (level_dbfs) => set(voice.id, { level_dbfs }))}
          />
          <OutputSelect
            program={program}
            label={`Output of voice ${voice.name}`}
            value={voice.output}
            onChange={(output) => void set(voice.id, { output })}
          />
          <Button
            size="row"
            variant="quiet"
            aria-label={`Remove voice ${voice.name}`}
            onClick={() => void edit([{ edit: "remove", items: [voice.id] }])}
          >
            −
          </Button>
        </Flex>
      ))}
      <Button
        size="row"
        onClick={() =>
          void edit([
            {
              edit: "add_voices",
              program: program.id,
              names: [`Voice ${program.voices.length + 1}`],
              output: program.outputs[0]?.id ?? null,
            },
          ])
        }
      >
        Add voice
      </Button>
    </Section>
  )
}

/** Sums inside the program: name, gain, where each goes. */
function Buses({ program }: { program: Program }) {
  const { edit } = useRig()
  const number = useNumber()
  const set = (item: string, values: Record<string, string | number | boolean | null>) =>
    edit([{ edit: "set", item, values }])
  return (
    <Section title="Buses" note="gain in dB, output">
      {program.buses.map((bus, index) => (
        <Flex key={bus.id} gap="4px" align="center" minH="28px">
          <Figure w="20px" textAlign="right">
            {index + 1}
          </Figure>
          <Commit
            value={bus.name}
            label={`Name of bus ${index + 1}`}
            onKeep={(name) => set(bus.id, { name })}
          />
          <Commit
            value={bus.gain_db}
            label={`Gain of bus ${bus.name}`}
            width="42px"
            figure
            onKeep={(text) => number("Gain", text, (gain_db) => set(bus.id, { gain_db }))}
          />
          <OutputSelect
            program={program}
            label={`Output of bus ${bus.name}`}
            value={bus.output}
            not={bus.id}
            onChange={(output) => void set(bus.id, { output })}
          />
          <Button
            size="row"
            variant="quiet"
            aria-label={`Remove bus ${bus.name}`}
            onClick={() => void edit([{ edit: "remove", items: [bus.id] }])}
          >
            −
          </Button>
        </Flex>
      ))}
      <Button
        size="row"
        onClick={() =>
          void edit([
            {
              edit: "add_buses",
              program: program.id,
              names: [`Bus ${program.buses.length + 1}`],
              output: program.outputs[0]?.id ?? null,
            },
          ])
        }
      >
        Add bus
      </Button>
    </Section>
  )
}

function Enabled(props: { program: Program; side: "input" | "output"; size: number; on: number[] }) {
  const { edit } = useRig()
  return (
    <Box>
      <Box color="ink2">{props.side === "input" ? "Enabled inputs" : "Enabled outputs"}</Box>
      <Flex wrap="wrap" gap="2px">
        {Array.from({ length: props.size }, (_, index) => {
          const channel = index + 1
          const on = props.on.includes(channel)
          return (
            <chakra.button
              key={channel}
              w="22px"
              h="20px"
              fontFamily="mono"
              fontSize="11px"
              border="1px solid"
              borderColor={on ? "ink" : "edge"}
              bg={on ? "ink" : "transparent"}
              color={on ? "onInk" : "ink2"}
              textDecoration={on ? "none" : "line-through"}
              cursor="pointer"
              aria-pressed={on}
              aria-label={`${props.side} channel ${channel} enabled`}
              onClick={() =>
                void edit([
                  {
                    edit: "enable_channels",
                    program: props.program.id,
                    side: props.side,
                    channels: [channel],
                    on: !on,
                  },
                ])
              }
            >
              {channel}
            </chakra.button>
          )
        })}
      </Flex>
    </Box>
  )
}

function Ports(props: { program: Program; side: "input" | "output"; items: ProgramPort[]; size: number }) {
  const { edit } = useRig()
  const { program, side, items } = props
  const add = (width: 1 | 2) =>
    void edit([
      {
        edit: "add_program_ports",
        program: program.id,
        side,
        names: [`${side === "input" ? "In" : "Out"} ${items.length + 1}`],
        width,
        first_channel: null,
      },
    ])
  return (
    <Section title={side === "input" ? "Inputs: name, channel" : "Outputs: name, channel"}>
      {items.map((item, position) => (
        <PortRow key={item.id} item={item} position={position + 1} size={props.size} side={side} />
      ))}
      <Flex gap="4px" mt="2px" wrap="wrap">
        <Button size="row" onClick={() => add(1)}>
          Add {side}
        </Button>
        <Button size="row" onClick={() => add(2)}>
          Add stereo {side}
        </Button>
        {items.length > 0 && (
          <Button
            size="row"
            variant="quiet"
            onClick={() =>
              void edit([{ edit: "fill_channels", items: items.map((item) => item.id), first_channel: 1 }])
            }
          >
            Fill ascending
          </Button>
        )}
      </Flex>
    </Section>
  )
}

function PortRow(props: { item: ProgramPort; position: number; size: number; side: string }) {
  const { edit } = useRig()
  const set = useSet(props.item.id)
  const number = useNumber()
  const { item } = props
  return (
    <Flex gap="4px" align="center" minH="28px">
      <Figure w="20px" textAlign="right">
        {props.position}
      </Figure>
      <Commit
        value={item.name}
        label={`Name of ${props.side} ${props.position}`}
        onKeep={(name) => set({ name })}
      />
      {item.legs.map((channel, index) => (
        <Commit
          key={index}
          value={channel}
          label={`Channel of ${props.side} ${item.name}${item.legs.length > 1 ? `, leg ${index + 1}` : ""}`}
          width="42px"
          figure
          placeholder="none"
          onKeep={(text) => {
            const keep = (wanted: number | null) =>
              edit([{ edit: "set_leg", item: item.id, leg: index + 1, channel: wanted }])
            return text === "" ? keep(null) : number(`Channel of ${item.name}`, text, keep)
          }}
        />
      ))}
      <Button
        size="row"
        variant="quiet"
        aria-label={`Remove ${props.side} ${item.name}`}
        onClick={() => void edit([{ edit: "remove", items: [item.id] }])}
      >
        −
      </Button>
    </Flex>
  )
}

function Tracks({ program }: { program: Program }) {
  const { edit } = useRig()
  const add = (width: 1 | 2) =>
    void edit([
      {
        edit: "add_tracks",
        program: program.id,
        names: [`Track ${program.tracks.length + 1}`],
        width,
        output: program.outputs[0]?.id ?? null,
      },
    ])
  return (
    <Section title="Tracks: armed, monitored, muted; input, output">
      {program.tracks.map((track, position) => (
        <TrackRow key={track.id} program={program} track={track} position={position + 1} />
      ))}
      <Flex gap="4px" mt="2px">
        <Button size="row" onClick={() => add(1)}>
          Add track
        </Button>
        <Button size="row" onClick={() => add(2)}>
          Add stereo track
        </Button>
      </Flex>
    </Section>
  )
}

const SWITCHES = [
  ["armed", "arm"],
  ["monitored", "mon"],
  ["muted", "mute"],
] as const

function TrackRow({ program, track, position }: { program: Program; track: Track; position: number }) {
  const { edit } = useRig()
  const set = useSet(track.id)
  const number = useNumber()
  return (
    <Box borderBottom="1px solid" borderColor="rule" py="3px">
      <Flex gap="4px" align="center">
        <Figure w="20px" textAlign="right">
          {position}
        </Figure>
        <Commit value={track.name} label={`Name of track ${position}`} onKeep={(name) => set({ name })} />
        {SWITCHES.map(([field, words]) => (
          <chakra.button
            key={field}
            h="22px"
            px="4px"
            fontSize="12px"
            border="1px solid"
            borderColor={track[field] ? "ink" : "edge"}
            bg={track[field] ? "ink" : "transparent"}
            color={track[field] ? "onInk" : "ink2"}
            cursor="pointer"
            aria-pressed={track[field]}
            aria-label={`${words} track ${track.name}`}
            onClick={() => set({ [field]: !track[field] })}
          >
            {words}
          </chakra.button>
        ))}
        <Button
          size="row"
          variant="quiet"
          aria-label={`Remove track ${track.name}`}
          onClick={() => void edit([{ edit: "remove", items: [track.id] }])}
        >
          −
        </Button>
      </Flex>
      <Flex gap="4px" align="center" mt="2px" pl="24px">
        <Select
          flex="1"
          aria-label={`Input of track ${track.name}`}
          value={track.input ?? ""}
          onChange={(event) => set({ input: event.target.value || null })}
        >
          <option value="">no input</option>
          {program.inputs.map((item, index) => (
            <option key={item.id} value={item.id}>
              {index + 1} {item.name}
            </option>
          ))}
        </Select>
        <OutputSelect
          program={program}
          label={`Output of track ${track.name}`}
          value={track.output}
          onChange={(output) => void set({ output })}
        />
      </Flex>
      <Flex gap="4px" align="center" mt="2px" pl="24px" color="ink2">
        gain
        <Commit
          value={track.gain_db}
          label={`Gain of track ${track.name}`}
          width="48px"
          figure
          onKeep={(text) => number("Gain", text, (gain_db) => set({ gain_db }))}
        />
        dB, effects
        <Commit
          value={track.effect_delay_samples}
          label={`Effect delay of track ${track.name}`}
          width="56px"
          figure
          onKeep={(text) =>
            number("Effect delay", text, (effect_delay_samples) => set({ effect_delay_samples }))
          }
        />
        samples
      </Flex>
    </Box>
  )
}
