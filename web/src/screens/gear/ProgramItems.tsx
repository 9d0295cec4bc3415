import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Select, TickBox } from "../../parts/controls"
import { usePropose } from "../../parts/propose"

import { OutputSelect } from "./Mixes"
import { PanField } from "./Sends"
import { Section, useNumber, useSet } from "./fields"

type Track = Program["tracks"][number]
type ProgramPort = Program["inputs"][number]

export function Ports(props: {
  program: Program
  side: "input" | "output"
  items: ProgramPort[]
  size: number
}) {
  const { edit } = useRig()
  const propose = usePropose()
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
        {props.size > 0 &&
          ([1, 2] as const).map((width) => (
            <Button
              key={width}
              size="row"
              variant="quiet"
              aria-label={`Refill ${side}s from the device${width === 2 ? ", in pairs" : ""}`}
              title={`One ${side} for every ${width === 2 ? "pair" : "channel"} of its device; what is in use stays`}
              onClick={() =>
                void propose({
                  edits: [{ edit: "refill_ports", program: program.id, side, width }],
                  words: `${program.name}: ${side}s as its device has them`,
                })
              }
            >
              {width === 1 ? "Refill" : "in pairs"}
            </Button>
          ))}
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
      {item.returns && (
        <chakra.span color="ink2" textStyle="cell">
          return
        </chakra.span>
      )}
      {(item.returns ? [] : item.legs).map((channel, index) => (
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

export function Tracks({ program }: { program: Program }) {
  const { edit } = useRig()
  const add = (width: 1 | 2) =>
    void edit([
      {
        edit: "add_tracks",
        program: program.id,
        names: [`Track ${program.tracks.length + 1}`],
        width,
        output: program.default_output ?? program.outputs[0]?.id ?? null,
      },
    ])
  return (
    <Section title="Tracks: armed, monitored, muted, soloed in place; input, output">
      {program.tracks.map((track, position) => (
        <TrackRow
          key={track.id}
          program={program}
          track={track}
          next={program.tracks[position + 1]}
          position={position + 1}
        />
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
  ["armed", "armed"],
  ["monitored", "monitored"],
  ["muted", "muted"],
  ["soloed", "solo"],
] as const

interface TrackProps {
  program: Program
  track: Track
  next: Track | undefined
  position: number
}

/** To which far end what a track takes goes; else it is recorded. */
function GoesTo({ program, track }: { program: Program; track: Track }) {
  const set = useSet(track.id)
  const far = program.voices.filter((voice) => voice.far)
  if (far.length === 0) return null
  return (
    <Flex as="label" gap="4px" align="center" mt="2px" pl="24px" color="ink2">
      goes to
      <Select
        flex="1"
        aria-label={`Where track ${track.name} goes`}
        value={track.far_end ?? ""}
        onChange={(event) => void set({ far_end: event.target.value || null })}
      >
        <option value="">the recording</option>
        {far.map((voice) => (
          <option key={voice.id} value={voice.id}>
            the far end {voice.name}
          </option>
        ))}
      </Select>
    </Flex>
  )
}

/** Past the mix, straight to a program that mixes what comes from here; and back again. */
function Across({ program, track }: { program: Program; track: Track }) {
  const { state, edit } = useRig()
  const mixers = state.rig.gear.filter(
    (gear): gear is Program =>
      gear.kind === "program" && gear.id !== program.id && gear.program_kind === "mixing program",
  )
  if (track.straight)
    return (
      <Flex gap="4px" align="center" mt="2px" pl="24px" color="ink2">
        straight across
        <Button
          size="row"
          aria-label={`Set track ${track.name} back`}
          onClick={() => void edit([{ edit: "set_back", item: track.id }])}
        >
          Set back
        </Button>
      </Flex>
    )
  if (!track.output || !track.monitored || track.far_end) return null
  return mixers.map((mixer) => (
    <Flex key={mixer.id} mt="2px" pl="24px">
      <Button
        size="row"
        variant="link"
        aria-label={`Send track ${track.name} straight to ${mixer.name}`}
        onClick={() => void edit([{ edit: "send_straight", item: track.id, to: mixer.id }])}
      >
        straight to {mixer.name}
      </Button>
    </Flex>
  ))
}

function TrackRow({ program, track, next, position }: TrackProps) {
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
        <Button
          size="row"
          variant="quiet"
          aria-label={`Remove track ${track.name}`}
          onClick={() => void edit([{ edit: "remove", items: [track.id] }])}
        >
          −
        </Button>
      </Flex>
      <Flex gap="10px" align="center" minH="24px" pl="24px">
        {SWITCHES.map(([field, words]) => (
          <TickBox
            key={field}
            words={words}
            label={`Track ${track.name} ${words}`}
            on={track[field]}
            onTurn={(on) => void set({ [field]: on })}
          />
        ))}
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
          {program.buses.map((bus) => (
            <option key={bus.id} value={bus.id}>
              bus {bus.name}
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
      <GoesTo program={program} track={track} />
      <Across program={program} track={track} />
      <Flex gap="4px" align="center" mt="2px" pl="24px" color="ink2">
        gain
        <Commit
          value={track.gain_db}
          label={`Gain of track ${track.name}`}
          width="48px"
          figure
          onKeep={(text) => number("Gain", text, (gain_db) => set({ gain_db }))}
        />
        dB, pan
        <PanField label={`Pan of track ${track.name}`} value={track.pan} onKeep={(pan) => set({ pan })} />
        {track.width === 2 && (
          <Button
            size="row"
            variant="link"
            aria-label={`Split track ${track.name} into two mono tracks`}
            onClick={() => void edit([{ edit: "split_track", item: track.id }])}
          >
            split
          </Button>
        )}
        {track.width === 1 && next?.width === 1 && (
          <Button
            size="row"
            variant="link"
            aria-label={`Make tracks ${track.name} and ${next.name} one stereo track`}
            onClick={() => void edit([{ edit: "join_tracks", items: [track.id, next.id] }])}
          >
            pair with {next.name}
          </Button>
        )}
      </Flex>
      <Flex gap="4px" align="center" mt="2px" pl="24px" color="ink2">
        effects delay
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
