import { Flex } from "@chakra-ui/react"

import type { Interface } from "../../api/client"
import { FIELDS } from "../../api/rules"
import { Button, Select } from "../../parts/controls"
import { useCarefulSet } from "../../parts/propose"
import { CableFields } from "./CableFields"
import { Clock } from "./Clock"
import { Drivers } from "./Drivers"
import { Direct, Jacks, Outputs } from "./Jacks"
import { MixerFields } from "./MixerFields"
import { FieldRow, NumberRow, OriginRow, Row, Section, Some, useSet } from "./fields"

type Delay = Extract<keyof Interface, `${"converter" | "mixer" | "link"}${string}_samples`>

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
  const careful = useCarefulSet(box.id, box.name)
  if (box.cable) return <CableFields box={box} cable={box.cable} />
  const delays: [Delay, string][] = [
    ["converter_in_samples", "Converter in"],
    ["mixer_samples", "Mixer"],
    ["link_in_samples", "Link in"],
    ["link_out_samples", "Link out"],
    ["converter_out_samples", "Converter out"],
  ]
  return (
    <>
      <Contents />
      <Jacks box={box} />
      <Outputs box={box} />
      <Clock box={box} />
      <Drivers box={box} />
      <Section title="Ports">
        <NumberRow
          words="Input jacks"
          value={box.jack_in}
          onKeep={(jack_in) => careful({ jack_in }, `${jack_in} input jacks`)}
        />
        <NumberRow
          words="Output jacks"
          value={box.jack_out}
          onKeep={(jack_out) => careful({ jack_out }, `${jack_out} output jacks`)}
        />
        <NumberRow
          words="Capture channels"
          value={box.capture}
          onKeep={(capture) => careful({ capture }, `${capture} capture channels`)}
        />
        <NumberRow
          words="Playback channels"
          value={box.playback}
          onKeep={(playback) => careful({ playback }, `${playback} playback channels`)}
        />
        <NumberRow
          words="Of them optical, in"
          value={box.optical_in}
          onKeep={(optical_in) => careful({ optical_in }, `${optical_in} optical channels in`)}
        />
        <NumberRow
          words="Of them optical, out"
          value={box.optical_out}
          onKeep={(optical_out) => careful({ optical_out }, `${optical_out} optical channels out`)}
        />
      </Section>
      <Section title="Link to the computer">
        <Row words="Kind">
          <Select
            aria-label="Link"
            value={box.link_kind}
            onChange={(event) =>
              void careful({ link_kind: event.target.value }, `joined by ${event.target.value}`)
            }
          >
            {["USB full speed", "USB high speed", "PCIe-class", "built in"].map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Select>
        </Row>
        <NumberRow
          words="Bytes a sample"
          value={box.link_sample_bytes}
          onKeep={(link_sample_bytes) =>
            careful({ link_sample_bytes }, `${link_sample_bytes} bytes a sample`)
          }
        />
      </Section>
      <Section title="Delays">
        {delays.map(([field, words]) => (
          <OriginRow
            key={field}
            item={box.id}
            field={field}
            words={words}
            unit="samples"
            value={box[field]}
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
        <FieldRow
          item={box.id}
          field="drives_both_legs"
          value={box.drives_both_legs}
          told={FIELDS.interface.drives_both_legs}
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
      {box.mixer ? <MixerFields box={box} mixer={box.mixer} /> : <Direct box={box} />}
    </>
  )
}
