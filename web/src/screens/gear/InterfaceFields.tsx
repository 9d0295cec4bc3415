import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit, type Kept } from "../../parts/Commit"
import { Button, Figure, Input, Select } from "../../parts/controls"
import { Drivers } from "./Drivers"
import { NumberRow, OriginRow, Row, Section, useNumber, useSet } from "./Inspector"

const SECTIONS = ["Ports", "Feeds", "Clock", "Drivers", "Levels", "Delays", "Used by", "Notes"]

/** Goes to a section of the inspector. */
function Contents() {
  return (
    <Flex as="nav" aria-label="Sections" wrap="wrap" gap="2px" mb="6px">
      {SECTIONS.map((title) => (
        <Button
          key={title}
          size="row"
          variant="link"
          onClick={(event) =>
            event.currentTarget
              .closest("[data-inspector]")
              ?.querySelector(`[data-section="${title}"]`)
              ?.scrollIntoView({ block: "start" })
          }
        >
          {title}
        </Button>
      ))}
    </Flex>
  )
}

/** A box: its clock, the drivers that open it, banks, levels, delays, trims with what is plugged in, feeds. */
export function InterfaceFields({ box }: { box: Interface }) {
  const set = useSet(box.id)
  const delays: [string, string][] = [
    ["converter_in_samples", "Converter in"],
    ["mixer_samples", "Mixer"],
    ["link_in_samples", "Link in"],
    ["link_out_samples", "Link out"],
    ["converter_out_samples", "Converter out"],
  ]
  const figures = box as unknown as Record<string, number>
  return (
    <>
      <Contents />
      <Section title="Clock">
        <Row words="Rate">
          <Select
            aria-label="Rate"
            value={box.rate_hz}
            onChange={(event) => set({ rate_hz: Number(event.target.value) })}
          >
            {box.rates_hz.map((rate) => (
              <option key={rate} value={rate}>
                {rate / 1000} kHz
              </option>
            ))}
          </Select>
        </Row>
        <Row words="Rates it offers (Hz)">
          <NumberList
            label="Rates it offers"
            values={box.rates_hz}
            onKeep={(rates_hz) => set({ rates_hz })}
          />
        </Row>
      </Section>
      <Drivers box={box} />
      <Section title="Ports">
        <NumberRow words="Input jacks" value={box.jack_in} onKeep={(jack_in) => set({ jack_in })} />
        <NumberRow words="Output jacks" value={box.jack_out} onKeep={(jack_out) => set({ jack_out })} />
        <NumberRow words="Capture channels" value={box.capture} onKeep={(capture) => set({ capture })} />
        <NumberRow words="Playback channels" value={box.playback} onKeep={(playback) => set({ playback })} />
      </Section>
      <Section title="Delays">
        {delays.map(([field, words]) => (
          <OriginRow
            key={field}
            item={box.id}
            field={field}
            words={words}
            unit="samples"
            value={figures[field] ?? 0}
            origins={box.origins}
          />
        ))}
      </Section>
      <Section title="Levels">
        <OriginRow
          item={box.id}
          field="input_full_scale_dbu"
          words="Input full scale"
          unit="dBu"
          value={box.input_full_scale_dbu}
          origins={box.origins}
        />
        <OriginRow
          item={box.id}
          field="output_full_scale_dbu"
          words="Output full scale"
          unit="dBu"
          value={box.output_full_scale_dbu}
          origins={box.origins}
        />
        <Some
          words="Jacks with phantom supply"
          value={box.phantom_jacks}
          onKeep={(phantom_jacks) => set({ phantom_jacks })}
        />
        <Some
          words="Jacks for instruments"
          value={box.instrument_jacks}
          onKeep={(instrument_jacks) => set({ instrument_jacks })}
        />
      </Section>
      <Jacks box={box} />
      <Outputs box={box} />
      <Direct box={box} />
    </>
  )
}

/** The first so many; an empty field means all of them. */
export function Some(props: {
  words: string
  value: number | null | undefined
  onKeep: (value: number | null) => Kept
}) {
  const number = useNumber()
  return (
    <Row words={props.words}>
      <Commit
        value={props.value ?? null}
        label={props.words}
        width="60px"
        figure
        placeholder="all"
        onKeep={(text) => (text === "" ? props.onKeep(null) : number(props.words, text, props.onKeep))}
      />
    </Row>
  )
}

/** Trims of the output jacks; some boxes come up with theirs turned down. */
function Outputs({ box }: { box: Interface }) {
  const { edit } = useRig()
  const number = useNumber()
  return (
    <Section title="Output jacks: trim in dB">
      <Flex wrap="wrap" gap="6px">
        {box.output_trims_db.map((trim, index) => (
          <Flex key={index} gap="3px" align="center">
            <Figure>{index + 1}</Figure>
            <Commit
              value={trim}
              label={`Trim of jack out ${index + 1}`}
              width="46px"
              figure
              onKeep={(text) =>
                number(`Trim of jack out ${index + 1}`, text, (trim_db) =>
                  edit([{ edit: "set_output_trim", interface: box.id, jack_out: index + 1, trim_db }]),
                )
              }
            />
          </Flex>
        ))}
      </Flex>
    </Section>
  )
}

export function NumberList({
  label,
  values,
  onKeep,
}: {
  label: string
  values: number[]
  onKeep: (values: number[]) => Kept
}) {
  const { say } = useRig()
  return (
    <Commit
      value={values.join(" ")}
      label={label}
      width="150px"
      onKeep={(text) => {
        const numbers = text
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number)
        if (numbers.length === 0 || numbers.some(Number.isNaN))
          say(`${label}: “${text}” is no list of numbers.`)
        else return onKeep(numbers)
        return false
      }}
    />
  )
}

function Jacks({ box }: { box: Interface }) {
  const { state, edit } = useRig()
  const number = useNumber()
  const sources = state.rig.gear.filter((gear) => gear.kind === "source")
  const ends = sources.flatMap((source) =>
    Array.from({ length: source.width }, (_, leg) => ({
      key: `${source.id}/${leg + 1}`,
      words: source.width === 2 ? `${source.name} ${"LR"[leg]}` : source.name,
    })),
  )
  return (
    <Section title="Input jacks: source, trim in dB">
      {Array.from({ length: box.jack_in }, (_, index) => {
        const jack = index + 1
        const lead = state.rig.patches.find(
          (patch) => patch.to_port[0] === box.id && patch.to_port[2] === jack,
        )
        return (
          <Flex key={jack} gap="4px" align="center" minH="28px">
            <Figure w="18px" textAlign="right">
              {jack}
            </Figure>
            <Select
              flex="1"
              aria-label={`Source at jack in ${jack}`}
              value={lead ? `${lead.from_port[0]}/${lead.from_port[2]}` : ""}
              onChange={(event) => {
                const [source, leg] = event.target.value.split("/")
                if (!source) {
                  if (lead) void edit([{ edit: "remove", items: [lead.id] }])
                } else
                  void edit([
                    {
                      edit: "plug",
                      from_port: [source, "out", Number(leg)],
                      to_port: [box.id, "jack_in", jack],
                      replace: true,
                    },
                  ])
              }}
            >
              <option value="">nothing</option>
              {ends.map((end) => (
                <option key={end.key} value={end.key}>
                  {end.words}
                </option>
              ))}
            </Select>
            <Commit
              value={box.trims_db[index] ?? 0}
              label={`Trim of jack in ${jack}`}
              width="42px"
              figure
              onKeep={(text) =>
                number(`Trim of jack in ${jack}`, text, (trim_db) =>
                  edit([{ edit: "set_trim", interface: box.id, jack_in: jack, trim_db }]),
                )
              }
            />
            <JackSwitch
              words="48V"
              label={`Phantom supply at jack in ${jack}`}
              on={box.phantom_on.includes(jack)}
              able={jack <= (box.phantom_jacks ?? box.jack_in)}
              onTurn={(phantom) =>
                void edit([{ edit: "set_jack", interface: box.id, jack_in: jack, phantom }])
              }
            />
            <JackSwitch
              words="hi-Z"
              label={`High impedance at jack in ${jack}`}
              on={box.high_impedance_on.includes(jack)}
              able={jack <= (box.instrument_jacks ?? box.jack_in)}
              onTurn={(high_impedance) =>
                void edit([{ edit: "set_jack", interface: box.id, jack_in: jack, high_impedance }])
              }
            />
            <chakra.label title="The lead turns the signal over" fontSize="12px" color="ink2">
              <input
                type="checkbox"
                aria-label={`Lead into jack in ${jack} turned over`}
                disabled={!lead}
                checked={lead?.inverted ?? false}
                onChange={(event) =>
                  lead &&
                  void edit([{ edit: "set", item: lead.id, values: { inverted: event.target.checked } }])
                }
              />
              over
            </chakra.label>
          </Flex>
        )
      })}
    </Section>
  )
}

function JackSwitch(props: {
  words: string
  label: string
  on: boolean
  able: boolean
  onTurn: (on: boolean) => void
}) {
  return (
    <chakra.button
      h="22px"
      px="3px"
      fontSize="12px"
      border="1px solid"
      borderColor={props.on ? "ink" : "edge"}
      bg={props.on ? "ink" : "transparent"}
      color={props.on ? "onInk" : "ink2"}
      textDecoration={props.able ? "none" : "line-through"}
      cursor={props.able ? "pointer" : "default"}
      disabled={!props.able}
      aria-pressed={props.on}
      aria-label={props.label}
      title={props.able ? props.label : `${props.label}: this jack has none`}
      onClick={() => props.onTurn(!props.on)}
    >
      {props.words}
    </chakra.button>
  )
}

function Direct({ box }: { box: Interface }) {
  const { edit } = useRig()
  const number = useNumber()
  const [ends, setEnds] = useState({ from: "1", to: "1" })
  const put = (jack_in: number, jack_out: number, gain_db: number | null, muted = false) =>
    edit([{ edit: "set_direct", interface: box.id, jack_in, jack_out, gain_db, muted }])
  return (
    <Section title="Feeds" note="direct monitoring: jack in to jack out, gain in dB">
      {box.direct.map((cross) => (
        <Flex key={`${cross.jack_in}/${cross.jack_out}`} gap="6px" align="center" minH="28px">
          <Figure>
            {cross.jack_in} → {cross.jack_out}
          </Figure>
          <Box flex="1" />
          <Commit
            value={cross.gain_db}
            label={`Gain of direct ${cross.jack_in} to ${cross.jack_out}`}
            width="56px"
            figure
            onKeep={(text) =>
              number("Gain", text, (gain) => put(cross.jack_in, cross.jack_out, gain, cross.muted))
            }
          />
          <chakra.label fontSize="12px" color="ink2">
            <input
              type="checkbox"
              checked={cross.muted}
              aria-label={`Mute direct ${cross.jack_in} to ${cross.jack_out}`}
              onChange={(event) => put(cross.jack_in, cross.jack_out, cross.gain_db, event.target.checked)}
            />{" "}
            mute
          </chakra.label>
          <Button size="row" variant="quiet" onClick={() => put(cross.jack_in, cross.jack_out, null)}>
            Off
          </Button>
        </Flex>
      ))}
      <chakra.form
        display="flex"
        gap="6px"
        alignItems="center"
        mt="4px"
        onSubmit={(event) => {
          event.preventDefault()
          number("Jack in", ends.from, (from) => number("Jack out", ends.to, (to) => put(from, to, 0)))
        }}
      >
        jack in
        <Input
          w="40px"
          figure
          aria-label="Direct from jack in"
          value={ends.from}
          onChange={(event) => setEnds({ ...ends, from: event.target.value })}
        />
        to out
        <Input
          w="40px"
          figure
          aria-label="Direct to jack out"
          value={ends.to}
          onChange={(event) => setEnds({ ...ends, to: event.target.value })}
        />
        <Button size="row" type="submit">
          Add
        </Button>
      </chakra.form>
    </Section>
  )
}
