import { Box } from "@chakra-ui/react"

import type { Edit, State } from "../../api/client"
import { useRig } from "../../api/rig"
import { LEADS } from "../../api/rules"
import { Select, TickBox } from "../../parts/controls"
import { Row } from "./fields"

type Port = Extract<Edit, { edit: "plug" }>["to_port"]
type Bank = Port[1]

const GROUPS: [Bank, string][] = [
  ["out", "Sources"],
  ["jack_out", "Output jacks"],
  ["outboard_out", "Outboard gear"],
]

/** Every end of a lead that could be plugged into something, by kind: sources, output jacks, outboard gear. */
function ends(rig: State["rig"], bank: Bank, not: string): { key: string; words: string }[] {
  const side = (width: number, leg: number) => (width === 2 ? ` ${"LR"[leg - 1]}` : "")
  return rig.gear.flatMap((gear) => {
    const make = (count: number, words: (leg: number) => string) =>
      Array.from({ length: count }, (_, index) => ({
        key: `${gear.id}/${bank}/${index + 1}`,
        words: words(index + 1),
      }))
    if (bank === "out" && gear.kind === "source")
      return make(gear.width, (leg) => gear.name + side(gear.width, leg))
    if (bank === "jack_out" && gear.kind === "interface")
      return make(gear.jack_out, (jack) => `${gear.name} out ${jack}`)
    if (bank === "outboard_out" && gear.kind === "outboard" && gear.id !== not)
      return make(gear.width, (leg) => `${gear.name} out${side(gear.width, leg)}`)
    return []
  })
}

/** What is plugged in somewhere; choosing something else pulls it and plugs that in. */
export function Plugged({ into, label }: { into: Port; label: string }) {
  const { state, edit } = useRig()
  const lead = state.rig.patches.find((patch) => patch.to_port.join() === into.join())
  const groups = GROUPS.filter(([bank]) => (LEADS as readonly string[]).includes(`${bank} ${into[1]}`))
    .map(([bank, title]) => ({ title, ends: ends(state.rig, bank, into[0]) }))
    .filter((group) => group.ends.length > 0)
  return (
    <Select
      flex="1"
      minW="0"
      aria-label={label}
      value={lead ? lead.from_port.join("/") : ""}
      onChange={(event) => {
        const [owner, bank, number] = event.target.value.split("/")
        if (!owner) {
          if (lead) void edit([{ edit: "remove", items: [lead.id] }])
        } else
          void edit([
            {
              edit: "plug",
              from_port: [owner, bank as Bank, Number(number)],
              to_port: into,
              replace: true,
            },
          ])
      }}
    >
      <option value="">nothing</option>
      {groups.map((group) => {
        const options = group.ends.map((end) => (
          <option key={end.key} value={end.key}>
            {end.words}
          </option>
        ))
        return groups.length === 1 ? (
          options
        ) : (
          <optgroup key={group.title} label={group.title}>
            {options}
          </optgroup>
        )
      })}
    </Select>
  )
}

/** Whether the lead that comes from an output ends in an unbalanced input; nothing for a source's lead. */
export function Unbalanced({ into, label }: { into: Port; label: string }) {
  const { state, edit } = useRig()
  const lead = state.rig.patches.find((patch) => patch.to_port.join() === into.join())
  if (!lead || lead.from_port[1] === "out") return null
  return (
    <Box pl="22px">
      <TickBox
        words={`${label}: into an unbalanced input`}
        on={lead.unbalanced}
        onTurn={(unbalanced) => void edit([{ edit: "set", item: lead.id, values: { unbalanced } }])}
      />
    </Box>
  )
}

/** One leg's row in an inspector: what is plugged in there, and whether the input is unbalanced. */
export function PluggedLeg({
  owner,
  bank,
  leg,
  width,
}: {
  owner: string
  bank: Bank
  leg: number
  width: number
}) {
  const into: Port = [owner, bank, leg]
  return (
    <>
      <Row words={width === 2 ? `${"LR"[leg - 1]} from` : "from"}>
        <Plugged into={into} label={`Leg ${leg} from`} />
      </Row>
      <Unbalanced into={into} label={`leg ${leg}`} />
    </>
  )
}
