import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Select } from "../../parts/controls"
import { Check, NumberRow, Row, useSet } from "./fields"

type Hosted = NonNullable<Program["hosted"]>

/** A program that runs in another: how far ahead it works, and what of it appears there. */
export function Hosting({ program, hosted }: { program: Program; hosted: Hosted }) {
  const { state, edit } = useRig()
  const set = useSet(program.id)
  const keep = (values: Partial<Hosted>) => set({ hosted: { ...hosted, ...values } })
  const leader = state.rig.gear.find((each) => each.id === hosted.leader)
  const there = leader?.kind === "program" ? leader.inputs.map((item) => item.returns) : []
  const missing = program.outputs.filter((item) => !there.includes(item.id))
  return (
    <>
      <Row words="Works ahead">
        <Select
          aria-label="Works ahead"
          value={hosted.ahead ?? "short"}
          onChange={(event) => void keep({ ahead: event.target.value as "short" | "long" })}
        >
          <option value="short">short, while it is played</option>
          <option value="long">long, while it replays</option>
        </Select>
      </Row>
      <NumberRow
        words="Short buffer"
        unit="samples"
        value={hosted.short_samples ?? 0}
        onKeep={(short_samples) => keep({ short_samples })}
      />
      <NumberRow
        words="Long buffer"
        unit="samples"
        value={hosted.long_samples ?? 1024}
        onKeep={(long_samples) => keep({ long_samples })}
      />
      <Check
        words="Told earlier where the song is"
        on={hosted.compensated ?? true}
        onChange={(compensated) => void keep({ compensated })}
      />
      <Check
        words="Minds when notes were played"
        on={hosted.stamped ?? false}
        onChange={(stamped) => void keep({ stamped })}
      />
      {missing.length > 0 && (
        <Button
          size="row"
          onClick={() => void edit([{ edit: "add_returns", program: program.id }])}
          aria-label={`Make returns for ${program.name}`}
        >
          Make {missing.length === 1 ? "its return" : `${missing.length} returns`} in {leader?.name}
        </Button>
      )}
    </>
  )
}
