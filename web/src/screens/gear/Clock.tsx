import { useQuery } from "@tanstack/react-query"

import { answer, client, type Edit, type Interface, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Select } from "../../parts/controls"
import { useCarefulSet, usePropose } from "../../parts/propose"
import { Check, NumberList, OriginRow, Row, Section, useNumber, useSet } from "./fields"

export type ClockRow = Schemas["ClockRow"]
type Choice = ClockRow["now"]

/** Every box below the one whose clock it runs on. */
export function useClocks() {
  const { state } = useRig()
  return useQuery({
    queryKey: ["clocks", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<ClockRow[]>(client.GET("/api/rigs/{rig_id}/clocks", { params: { path: { rig_id: state.id } } })),
  })
}

/** The edits after which a box runs on a clock: the lead that brings it, and the switch on the box. */
export function followEdits(box: string, choice: Choice): Edit[] {
  const edits: Edit[] = []
  if (choice.source === "device")
    return [{ edit: "set", item: box, values: { follows: choice.leader ?? null } }]
  const sockets = choice.source === "word clock" ? (["word_out", "word_in"] as const) : OPTICAL
  if (choice.leader)
    edits.push({
      edit: "plug",
      from_port: [choice.leader, sockets[0], 1],
      to_port: [box, sockets[1], 1],
      replace: true,
    })
  edits.push({ edit: "set", item: box, values: { clock_source: choice.source } })
  return edits
}

const OPTICAL = ["optical_out", "optical_in"] as const
const key = (choice: Choice) => `${choice.source}/${choice.leader ?? ""}`

/** What a box takes its pace from. */
export function ClockSelect({ row, wide = false }: { row: ClockRow; wide?: boolean }) {
  const propose = usePropose()
  const choices = row.choices.some((each) => key(each) === key(row.now))
    ? row.choices
    : [row.now, ...row.choices]
  return (
    <Select
      w={wide ? "150px" : "auto"}
      maxW="170px"
      aria-label={`Clock of ${row.name}`}
      value={key(row.now)}
      onChange={(event) => {
        const choice = choices.find((each) => key(each) === event.target.value)
        if (choice)
          void propose({
            edits: followEdits(row.box, choice),
            words: `${row.name} takes its clock from ${choice.words}`,
          })
      }}
    >
      {choices.map((choice) => (
        <option key={key(choice)} value={key(choice)}>
          {choice.words}
        </option>
      ))}
    </Select>
  )
}

/** The rate of a box; what another one does is shown before it is made. */
export function RateRow({ box }: { box: Interface }) {
  const propose = usePropose()
  return (
    <Row words="Rate">
      <Select
        aria-label="Rate"
        value={box.rate_hz}
        onChange={(event) => {
          const rate = Number(event.target.value)
          void propose({
            edits: [{ edit: "set", item: box.id, values: { rate_hz: rate } }],
            words: `run ${box.name} at ${rate / 1000} kHz`,
          })
        }}
      >
        {box.rates_hz.map((rate) => (
          <option key={rate} value={rate}>
            {rate / 1000} kHz
          </option>
        ))}
      </Select>
    </Row>
  )
}

/** A box's clock: its rate, whose pace it runs at, how right its own crystal is, and its sockets. */
export function Clock({ box }: { box: Interface }) {
  const set = useSet(box.id)
  const careful = useCarefulSet(box.id, box.name)
  const number = useNumber()
  const { state, edit, say } = useRig()
  const row = useClocks().data?.find((each) => each.box === box.id)
  /** What a USB box asks for says how fast its clock is. */
  const asked = async (word: string) => {
    const params = { path: { rig_id: state.id } }
    try {
      const body = { box: box.id, word }
      const edits = await answer<Edit[]>(client.POST("/api/rigs/{rig_id}/feedback", { params, body }))
      return await edit(edits)
    } catch (problem) {
      say(problem instanceof Error ? problem.message : String(problem))
      return false
    }
  }
  return (
    <Section title="Clock" note={row?.trouble}>
      <RateRow box={box} />
      <Row words="Rates it offers (Hz)">
        <NumberList label="Rates it offers" values={box.rates_hz} onKeep={(rates_hz) => set({ rates_hz })} />
      </Row>
      {row && (
        <Row words="Clock from">
          <ClockSelect row={row} wide />
        </Row>
      )}
      <OriginRow
        item={box.id}
        field="tolerance_ppm"
        words="Right within"
        unit="ppm"
        value={box.tolerance_ppm}
        origins={box.origins}
      />
      <Row words="Fast by, if measured">
        <Commit
          value={box.measured_ppm ?? null}
          label="Clock measured in ppm"
          width="60px"
          figure
          placeholder="?"
          onKeep={(text) =>
            text === ""
              ? set({ measured_ppm: null })
              : /^\s*0x/i.test(text)
                ? asked(text)
                : number("Clock measured", text, (measured_ppm) => set({ measured_ppm }))
          }
        />
        ppm or 0x…
      </Row>
      <Check
        words="Word clock input"
        on={box.word_clock_in}
        onChange={(word_clock_in) => void set({ word_clock_in })}
      />
      <Check
        words="Word clock output"
        on={box.word_clock_out}
        onChange={(word_clock_out) => void set({ word_clock_out })}
      />
      <Check
        words="Connected to the computer"
        on={box.connected}
        onChange={(connected) =>
          void careful(
            { connected },
            connected ? "connected to the computer" : "not connected to the computer",
          )
        }
      />
    </Section>
  )
}
