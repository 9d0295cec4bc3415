import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"

import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { PAN_LAWS } from "../../api/rules"
import { Commit } from "../../parts/Commit"
import { Button, Select } from "../../parts/controls"
import { panOf } from "../../parts/figures"
import { Check, Row, Section, useNumber, useSet } from "./fields"

type Send = Program["sends"][number]

/** Chosen instead of a bus or an output: a new output for every track, on the next channels. */
const EACH = "each"

const TAPS = ["behind the fader", "before the fader"] as const

/** What tracks, voices and buses give to buses and outputs besides their own outputs; and how mono is panned. */
export function Sends({ program }: { program: Program }) {
  const set = useSet(program.id)
  return (
    <Section title="Mixing" note="sends, pan law, delays">
      <Row words="Pan law: mono in the centre at">
        <Select
          aria-label="Pan law"
          value={program.pan_law}
          onChange={(event) => void set({ pan_law: event.target.value })}
        >
          {PAN_LAWS.map((law) => (
            <option key={law} value={law}>
              {law.replace("-", "−")}
            </option>
          ))}
        </Select>
      </Row>
      <Check
        words="Delay compensation"
        on={program.delay_compensation}
        onChange={(delay_compensation) => void set({ delay_compensation })}
      />
      <Check
        words="Mute silences sends before the fader too"
        on={program.mute_kills_pre}
        onChange={(mute_kills_pre) => void set({ mute_kills_pre })}
      />
      {program.sends.map((send) => (
        <SendRow key={send.id} program={program} send={send} />
      ))}
      {(program.buses.length > 0 || program.outputs.length > 0 || program.tracks.length > 0) && (
        <NewSends program={program} />
      )}
    </Section>
  )
}

function SendRow({ program, send }: { program: Program; send: Send }) {
  const { edit } = useRig()
  const set = useSet(send.id)
  const number = useNumber()
  const words = `${nameOf(program, send.item)} to ${nameOf(program, send.to)}`
  return (
    <Box borderBottom="1px solid" borderColor="rule" py="3px" data-send={words}>
      <Flex gap="4px" align="center">
        <chakra.span
          flex="1"
          minW="0"
          overflow="hidden"
          textOverflow="ellipsis"
          whiteSpace="nowrap"
          title={words}
        >
          {nameOf(program, send.item)} → {nameOf(program, send.to)}
        </chakra.span>
        <input
          type="checkbox"
          aria-label={`Send ${words} on`}
          checked={send.on}
          onChange={(event) => void set({ on: event.target.checked })}
        />
        <Button
          size="row"
          variant="quiet"
          aria-label={`Remove send ${words}`}
          onClick={() => void edit([{ edit: "remove", items: [send.id] }])}
        >
          −
        </Button>
      </Flex>
      <Flex gap="4px" align="center" mt="2px" color="ink2">
        <Tap label={`Tap of send ${words}`} value={send.tap} onChange={(tap) => void set({ tap })} />
        <Commit
          value={send.gain_db}
          label={`Gain of send ${words}`}
          width="48px"
          figure
          onKeep={(text) => number("Gain", text, (gain_db) => set({ gain_db }))}
        />
        dB, pan
        <PanField
          label={`Pan of send ${words}`}
          none="its own"
          value={send.pan ?? null}
          onKeep={(pan) => set({ pan })}
        />
      </Flex>
    </Box>
  )
}

function Tap(props: { label: string; value: string; onChange: (tap: Send["tap"]) => void }) {
  return (
    <Select
      aria-label={props.label}
      value={props.value}
      onChange={(event) => props.onChange(event.target.value as Send["tap"])}
    >
      {TAPS.map((tap) => (
        <option key={tap}>{tap}</option>
      ))}
    </Select>
  )
}

/** A pan from −100, all left, to 100, or *left*, *30 R*, *centre*; empty is the centre, or what `none` says. */
export function PanField(props: {
  label: string
  value: number | null
  none?: string
  onKeep: (pan: number | null) => ReturnType<ReturnType<typeof useSet>>
}) {
  const { say } = useRig()
  const empty = props.none === undefined ? 0 : null
  return (
    <Commit
      value={props.value === null || props.value === empty ? null : Math.round(100 * props.value)}
      label={props.label}
      width="66px"
      figure
      placeholder={props.none ?? "centre"}
      onKeep={(text) => {
        const pan = text === "" ? empty : panOf(text)
        if (text === "" || pan !== null) return props.onKeep(pan)
        say(
          `${props.label}: “${text}” is no place between left and right; type for example 30 R, left or centre.`,
        )
        return false
      }}
    />
  )
}

/** One item, or all of a kind, sent to a bus or an output. */
function NewSends({ program }: { program: Program }) {
  const { edit } = useRig()
  const [from, setFrom] = useState("all tracks")
  const [chosen, setTo] = useState("")
  const sinks = [...program.buses, ...program.outputs]
  // Until somebody chooses: the bus that was added last.
  const sink = sinks.find((each) => each.id === chosen) ?? program.buses.at(-1) ?? sinks[0]
  const to = chosen === EACH || !sink ? EACH : sink.id
  const [tap, setTap] = useState<Send["tap"]>(TAPS[0])
  const all: Record<string, string[]> = {
    "all tracks": program.tracks.map((track) => track.id),
    "all voices": program.voices.map((voice) => voice.id),
  }
  const givers = [...program.tracks, ...program.voices, ...program.buses]
  const items = (all[from] ?? [from]).filter((id) => id !== to)
  const isTracks = items.every((id) => program.tracks.some((track) => track.id === id))
  return (
    <chakra.form
      mt="4px"
      aria-label="New sends"
      onSubmit={(event) => {
        event.preventDefault()
        if (to !== EACH) void edit([{ edit: "add_sends", program: program.id, items, to, tap }])
        else void edit([{ edit: "spread_tracks", program: program.id, tracks: items, tap }])
      }}
    >
      <Flex gap="4px" align="center">
        <Select
          flex="1"
          minW="0"
          aria-label="Send what"
          value={from}
          onChange={(event) => setFrom(event.target.value)}
        >
          {Object.entries(all).map(([words, ids]) => ids.length > 1 && <option key={words}>{words}</option>)}
          {givers.map((item) => (
            <option key={item.id} value={item.id}>
              {nameOf(program, item.id)}
            </option>
          ))}
        </Select>
        to
        <Select
          flex="1"
          minW="0"
          aria-label="Send to"
          value={to}
          onChange={(event) => setTo(event.target.value)}
        >
          {sinks.map((item) => (
            <option key={item.id} value={item.id}>
              {nameOf(program, item.id)}
            </option>
          ))}
          {program.tracks.length > 0 && <option value={EACH}>an output of its own each</option>}
        </Select>
      </Flex>
      <Flex gap="4px" align="center" mt="2px">
        <Tap label="Tap of new sends" value={tap} onChange={setTap} />
        <Button size="row" type="submit" disabled={items.length === 0 || (to === EACH && !isTracks)}>
          Add send
        </Button>
      </Flex>
    </chakra.form>
  )
}

function nameOf(program: Program, id: string): string {
  const bus = program.buses.find((each) => each.id === id)
  if (bus) return `bus ${bus.name}`
  return (
    [...program.tracks, ...program.voices, ...program.outputs].find((each) => each.id === id)?.name ?? "?"
  )
}
