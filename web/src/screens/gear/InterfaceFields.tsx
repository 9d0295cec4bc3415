import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit, type Kept } from "../../parts/Commit"
import { Button, Figure, Input, Select } from "../../parts/controls"
import { NumberRow, Row, Section, useNumber, useSet } from "./Inspector"

/** A box: rate and buffer first, then banks, delays, trims with what is plugged in, direct monitoring. */
export function InterfaceFields({ box }: { box: Interface }) {
  const set = useSet(box.id)
  const setDriver = useSet(box.driver.id)
  return (
    <>
      <Section title="Clock and driver">
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
        <Row words={`Buffer, ${box.driver.kind} driver`}>
          <Select
            aria-label="Buffer"
            value={box.driver.buffer_samples}
            onChange={(event) => setDriver({ buffer_samples: Number(event.target.value) })}
          >
            {box.driver.buffers_samples.map((size) => (
              <option key={size} value={size}>
                {size} = {((1000 * size) / box.rate_hz).toFixed(2)} ms
              </option>
            ))}
          </Select>
        </Row>
        <Row words="Buffers it allows">
          <NumberList
            label="Buffers it allows"
            values={box.driver.buffers_samples}
            onKeep={(buffers_samples) => setDriver({ buffers_samples })}
          />
        </Row>
        <Row words="Rates it offers (Hz)">
          <NumberList
            label="Rates it offers"
            values={box.rates_hz}
            onKeep={(rates_hz) => set({ rates_hz })}
          />
        </Row>
        <NumberRow
          words="Safety offset in"
          unit="samples"
          value={box.driver.safety_in_samples}
          onKeep={(safety_in_samples) => setDriver({ safety_in_samples })}
        />
        <NumberRow
          words="Safety offset out"
          unit="samples"
          value={box.driver.safety_out_samples}
          onKeep={(safety_out_samples) => setDriver({ safety_out_samples })}
        />
      </Section>
      <Section title="Ports">
        <NumberRow words="Input jacks" value={box.jack_in} onKeep={(jack_in) => set({ jack_in })} />
        <NumberRow words="Output jacks" value={box.jack_out} onKeep={(jack_out) => set({ jack_out })} />
        <NumberRow words="Capture channels" value={box.capture} onKeep={(capture) => set({ capture })} />
        <NumberRow words="Playback channels" value={box.playback} onKeep={(playback) => set({ playback })} />
      </Section>
      <Section title="Delays in the box">
        <NumberRow
          words="Converter in"
          unit="samples"
          value={box.converter_in_samples}
          onKeep={(converter_in_samples) => set({ converter_in_samples })}
        />
        <NumberRow
          words="Mixer"
          unit="samples"
          value={box.mixer_samples}
          onKeep={(mixer_samples) => set({ mixer_samples })}
        />
        <NumberRow
          words="Link in"
          unit="samples"
          value={box.link_in_samples}
          onKeep={(link_in_samples) => set({ link_in_samples })}
        />
        <NumberRow
          words="Link out"
          unit="samples"
          value={box.link_out_samples}
          onKeep={(link_out_samples) => set({ link_out_samples })}
        />
        <NumberRow
          words="Converter out"
          unit="samples"
          value={box.converter_out_samples}
          onKeep={(converter_out_samples) => set({ converter_out_samples })}
        />
      </Section>
      <Jacks box={box} />
      <Direct box={box} />
    </>
  )
}

function NumberList({
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
          <Flex key={jack} gap="6px" align="center" minH="28px">
            <Figure w="24px" textAlign="right">
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
              width="56px"
              figure
              onKeep={(text) =>
                number(`Trim of jack in ${jack}`, text, (trim_db) =>
                  edit([{ edit: "set_trim", interface: box.id, jack_in: jack, trim_db }]),
                )
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
              />{" "}
              over
            </chakra.label>
          </Flex>
        )
      })}
    </Section>
  )
}

function Direct({ box }: { box: Interface }) {
  const { edit } = useRig()
  const number = useNumber()
  const [ends, setEnds] = useState({ from: "1", to: "1" })
  const put = (jack_in: number, jack_out: number, gain_db: number | null, muted = false) =>
    edit([{ edit: "set_direct", interface: box.id, jack_in, jack_out, gain_db, muted }])
  return (
    <Section title="Direct monitoring: jack in to jack out, gain in dB">
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
