import type { Outboard } from "../../api/client"
import { FIELDS } from "../../api/rules"
import { Check, FieldRow, Section, useSet } from "./fields"
import { PluggedLeg } from "./Plugged"

/** What a sound passes in the leads: how late, how loud, from where. */
export function OutboardFields({ outboard }: { outboard: Outboard }) {
  const set = useSet(outboard.id)
  return (
    <Section title="Outboard gear">
      {Array.from({ length: outboard.width }, (_, leg) => (
        <PluggedLeg key={leg} owner={outboard.id} bank="outboard_in" leg={leg + 1} width={outboard.width} />
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
