import { Box } from "@chakra-ui/react"

import type { Outboard } from "../../api/client"
import { FIELDS } from "../../api/rules"
import { Check, FieldRow, Row, Section, useSet } from "./fields"
import { Plugged, Unbalanced } from "./Plugged"

/** What a sound passes in the leads: how late, how loud, from where. */
export function OutboardFields({ outboard }: { outboard: Outboard }) {
  const set = useSet(outboard.id)
  return (
    <Section title="Outboard gear">
      {Array.from({ length: outboard.width }, (_, leg) => (
        <Box key={leg}>
          <Row words={outboard.width === 2 ? `${"LR"[leg]} from` : "from"}>
            <Plugged into={[outboard.id, "outboard_in", leg + 1]} label={`Leg ${leg + 1} from`} />
          </Row>
          <Unbalanced into={[outboard.id, "outboard_in", leg + 1]} label={`leg ${leg + 1}`} />
        </Box>
      ))}
      <Check words="Stereo" on={outboard.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      {(
        [
          "delay_samples",
          "rate_hz",
          "gain_db",
          "highest_dbu",
          "drives_both_legs",
          "supplies_phantom",
          "effects",
        ] as const
      ).map((field) => (
        <FieldRow
          key={field}
          item={outboard.id}
          field={field}
          value={outboard[field]}
          told={FIELDS.outboard[field]}
          origins={outboard.origins}
        />
      ))}
    </Section>
  )
}
