import { Box } from "@chakra-ui/react"

import type { Edit, Source } from "../../api/client"
import { useRig } from "../../api/rig"
import { SOURCE_KINDS } from "../../api/rules"
import { Select } from "../../parts/controls"
import { usePropose } from "../../parts/propose"
import { Check, OriginRow, Row, Section, Some, useSet } from "./fields"

/** Where a source is plugged in; another jack moves its lead there. */
function PluggedInto({ source, leg }: { source: Source; leg: number }) {
  const { state } = useRig()
  const propose = usePropose()
  const { patches, gear } = state.rig
  const lead = patches.find((each) => each.from_port[0] === source.id && each.from_port[2] === leg)
  const taken = (box: string, jack: number) => {
    const there = patches.find((each) => each.to_port[0] === box && each.to_port[2] === jack)
    return gear.find((each) => each.id === there?.from_port[0])?.name ?? "free"
  }
  const side = source.width === 2 ? ` ${"LR"[leg - 1]}` : ""
  return (
    <Row words={`Plugged into${side}`}>
      <Select
        w="206px"
        aria-label={`Plugged into${side}`}
        value={lead ? `${lead.to_port[0]}/${lead.to_port[2]}` : ""}
        onChange={(event) => {
          const [box = "", jack = ""] = event.target.value.split("/")
          const edits: Edit[] = lead ? [{ edit: "remove", items: [lead.id] }] : []
          if (box)
            edits.push({
              edit: "plug",
              from_port: [source.id, "out", leg],
              to_port: [box, "jack_in", Number(jack)],
              replace: true,
            })
          const words = `plug ${source.name}${side} into ${event.target.selectedOptions[0]?.text ?? "nothing"}`
          void propose({ edits, words, unlessHarmless: true })
        }}
      >
        <option value="">nothing</option>
        {gear.map(
          (box) =>
            box.kind === "interface" &&
            Array.from({ length: box.jack_in }, (_, index) => (
              <option key={`${box.id}/${index}`} value={`${box.id}/${index + 1}`}>
                {box.name}, jack {index + 1}: {taken(box.id, index + 1)}
              </option>
            )),
        )}
      </Select>
    </Row>
  )
}

export function SourceFields({ source }: { source: Source }) {
  const set = useSet(source.id)
  const { state } = useRig()
  return (
    <Section title="Source">
      {Array.from({ length: source.width }, (_, leg) => (
        <PluggedInto key={leg} source={source} leg={leg + 1} />
      ))}
      <Row words="Kind">
        <Select
          aria-label="Kind"
          value={source.source_kind}
          onChange={(event) => set({ source_kind: event.target.value })}
        >
          {SOURCE_KINDS.map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </Select>
      </Row>
      <Check words="Stereo" on={source.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      <OriginRow
        item={source.id}
        field="level_dbu"
        words="Level"
        unit="dBu"
        worded
        value={source.level_dbu}
        origins={source.origins}
      />
      <Some
        words="Headroom needed (dB)"
        none={String(-state.rig.alignment_dbfs)}
        value={source.headroom_db}
        onKeep={(headroom_db) => set({ headroom_db })}
      />
      <Row words="Told in">
        <Select
          aria-label="Level told in"
          value={source.level_unit}
          onChange={(event) => void set({ level_unit: event.target.value })}
        >
          <option value="dBu">dBu, professional</option>
          <option value="dBV">dBV, consumer</option>
        </Select>
      </Row>
      <Box color="ink2" mb="4px">
        Type the level as its panel tells it: +4 dBu, -10 dBV
      </Box>
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
