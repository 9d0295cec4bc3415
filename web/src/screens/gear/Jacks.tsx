import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Input, TickBox } from "../../parts/controls"
import { Section, useNumber } from "./fields"
import { Plugged, Unbalanced } from "./Plugged"

/** The input jacks: what is plugged in, its trim, supply, high impedance and turned leads. */
export function Jacks({ box }: { box: Interface }) {
  const { state, edit } = useRig()
  const number = useNumber()
  return (
    <Section title="Input jacks: source, trim in dB">
      {Array.from({ length: box.jack_in }, (_, index) => {
        const jack = index + 1
        const lead = state.rig.patches.find(
          (patch) => patch.to_port.join() === [box.id, "jack_in", jack].join(),
        )
        return (
          <Box key={jack}>
            <Flex gap="4px" align="center" minH="28px">
              <Figure w="18px" textAlign="right">
                {jack}
              </Figure>
              <Plugged into={[box.id, "jack_in", jack]} label={`Source at jack in ${jack}`} />
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
            </Flex>
            <Flex gap="10px" align="center" minH="24px" pl="22px">
              <JackTick
                words="supply"
                label={`Phantom supply at jack in ${jack}`}
                on={box.phantom_on.includes(jack)}
                able={jack <= (box.phantom_jacks ?? box.jack_in)}
                onTurn={(phantom) =>
                  void edit([{ edit: "set_jack", interface: box.id, jack_in: jack, phantom }])
                }
              />
              <JackTick
                words="high impedance"
                label={`High impedance at jack in ${jack}`}
                on={box.high_impedance_on.includes(jack)}
                able={jack <= (box.instrument_jacks ?? box.jack_in)}
                onTurn={(high_impedance) =>
                  void edit([{ edit: "set_jack", interface: box.id, jack_in: jack, high_impedance }])
                }
              />
              <TickBox
                words="reversed"
                label={`Lead into jack in ${jack}, polarity reversed`}
                title="The lead reverses the polarity"
                able={lead !== undefined}
                on={lead?.inverted ?? false}
                onTurn={(inverted) =>
                  lead && void edit([{ edit: "set", item: lead.id, values: { inverted } }])
                }
              />
            </Flex>
            <Unbalanced into={[box.id, "jack_in", jack]} label={`jack in ${jack}`} />
          </Box>
        )
      })}
    </Section>
  )
}

/** A switch of a jack; one that the jack does not have is told as such. */
function JackTick(props: Parameters<typeof TickBox>[0]) {
  return <TickBox {...props} title={props.able ? props.label : `${props.label}: this jack has none`} />
}

/** Direct monitoring: which input jacks the box itself sends to which output jacks. */
export function Direct({ box }: { box: Interface }) {
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
          <TickBox
            words="muted"
            label={`Mute direct ${cross.jack_in} to ${cross.jack_out}`}
            on={cross.muted}
            onTurn={(muted) => void put(cross.jack_in, cross.jack_out, cross.gain_db, muted)}
          />
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

/** Trims of the output jacks; some boxes come up with theirs turned down. */
export function Outputs({ box }: { box: Interface }) {
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
