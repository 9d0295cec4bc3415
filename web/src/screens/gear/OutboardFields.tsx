import { Box } from "@chakra-ui/react"

import type { Outboard } from "../../api/client"
import { Commit } from "../../parts/Commit"
import { Check, NumberRow, OriginRow, Row, Section, useNumber, useSet } from "./fields"
import { Plugged } from "./Plugged"

/** What a sound passes in the leads: how late, how loud, from where. */
export function OutboardFields({ outboard }: { outboard: Outboard }) {
  const set = useSet(outboard.id)
  const number = useNumber()
  return (
    <Section title="Outboard gear">
      {Array.from({ length: outboard.width }, (_, leg) => (
        <Row key={leg} words={outboard.width === 2 ? `${"LR"[leg]} from` : "from"}>
          <Plugged
            into={[outboard.id, "outboard_in", leg + 1]}
            label={`Leg ${leg + 1} from`}
            banks={["out", "jack_out", "outboard_out"]}
          />
        </Row>
      ))}
      <Check words="Stereo" on={outboard.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      <OriginRow
        item={outboard.id}
        field="delay_samples"
        words="Delay"
        unit="samples"
        value={outboard.delay_samples}
        origins={outboard.origins}
      />
      <NumberRow
        words="counted at"
        unit="Hz"
        value={outboard.rate_hz}
        onKeep={(rate_hz) => set({ rate_hz })}
      />
      <NumberRow words="Gain" unit="dB" value={outboard.gain_db} onKeep={(gain_db) => set({ gain_db })} />
      <Row words="Takes at most">
        <Commit
          value={outboard.highest_dbu ?? null}
          label="Highest level in dBu"
          width="72px"
          figure
          placeholder="any"
          onKeep={(text) =>
            text === ""
              ? set({ highest_dbu: null })
              : number("Highest level", text, (highest_dbu) => set({ highest_dbu }))
          }
        />
        <Box w="48px" color="ink2">
          dBu
        </Box>
      </Row>
      <Check
        words="Supplies microphones"
        on={outboard.supplies_phantom}
        onChange={(supplies_phantom) => set({ supplies_phantom })}
      />
      <Check
        words="Effects: what comes out is wet"
        on={outboard.effects}
        onChange={(effects) => set({ effects })}
      />
    </Section>
  )
}
