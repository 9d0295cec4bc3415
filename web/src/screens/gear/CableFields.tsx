import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { Select } from "../../parts/controls"
import { useCarefulSet } from "../../parts/propose"
import { ClockSelect, RateRow, useClocks } from "./Clock"
import { Check, NumberRow, Row, Section } from "./fields"

/** A cable: how many channels it has, what it keeps waiting, at which rate and whose pace it runs. */
export function CableFields({ box, cable }: { box: Interface; cable: NonNullable<Interface["cable"]> }) {
  const { edit } = useRig()
  const careful = useCarefulSet(box.id, box.name)
  const row = useClocks().data?.find((each) => each.box === box.id)
  return (
    <>
      <Section title="Cable" note="from program to program">
        <NumberRow
          words="Channels"
          value={box.capture}
          onKeep={(capture) => careful({ capture }, `${capture} channels`)}
        />
        <NumberRow
          words="Margin"
          unit="samples"
          value={cable.margin_samples}
          onKeep={(margin_samples) =>
            edit([{ edit: "set_cable", cable: box.id, values: { margin_samples } }])
          }
        />
        <Row words="Its ends start">
          <Select
            aria-label={`How the ends of ${box.name} start`}
            value={cable.start ?? "aligned"}
            onChange={(event) =>
              void edit([{ edit: "set_cable", cable: box.id, values: { start: event.target.value } }])
            }
          >
            <option value="aligned">aligned</option>
            <option value="as it falls">as it falls</option>
          </Select>
        </Row>
        <Check
          words="There now"
          on={box.connected}
          onChange={(connected) => void careful({ connected }, connected ? "there" : "not there")}
        />
      </Section>
      <Section title="Clock" note={row?.trouble}>
        <RateRow box={box} />
        {row && (
          <Row words="Clock from">
            <ClockSelect row={row} wide />
          </Row>
        )}
      </Section>
    </>
  )
}
