import type { Edit, State } from "../../api/client"
import { useRig } from "../../api/rig"
import { LEADS } from "../../api/rules"
import { usePropose } from "../../parts/propose"

/** What is dragged from peg to peg: a port's key. */
export const PORT = "text/x-iskelo-port"

type Bank = Extract<Edit, { edit: "plug" }>["from_port"][1]

const parts = (key: string) => {
  const [owner = "", bank = "", number = "1"] = key.split("/")
  return { owner, bank: bank as Bank, number: Number(number) }
}

/** Joining one peg to another, whichever of them was dragged; null where nothing joins the two. */
export function joinPegs(rig: State["rig"], one: string, other: string): Edit[] | null {
  return joined(rig, one, other) ?? joined(rig, other, one)
}

function joined(rig: State["rig"], from: string, to: string): Edit[] | null {
  const start = parts(from)
  const end = parts(to)
  const way = `${start.bank} ${end.bank}`
  if ((LEADS as readonly string[]).includes(way)) {
    // A source has one lead: it is pulled where it was. An output may feed several.
    const before =
      start.bank === "out"
        ? rig.patches.filter(
            (lead) => lead.from_port[0] === start.owner && lead.from_port[2] === start.number,
          )
        : []
    const pulled: Edit[] = before.length > 0 ? [{ edit: "remove", items: before.map((lead) => lead.id) }] : []
    return [
      ...pulled,
      {
        edit: "plug",
        from_port: [start.owner, start.bank, start.number],
        to_port: [end.owner, end.bank, end.number],
        replace: true,
      },
    ]
  }
  if (way === "capture input" || way === "output playback") {
    const [item, channel] = way === "capture input" ? [end.owner, start] : [start.owner, end]
    const program = rig.gear.find(
      (gear) => gear.kind === "program" && [...gear.inputs, ...gear.outputs].some((each) => each.id === item),
    )
    // The numbers of a box are a program's only where it opens that box alone.
    if (program?.kind !== "program" || program.device !== channel.owner) return null
    return [{ edit: "set_leg", item, leg: 1, channel: channel.number }]
  }
  if (way === "input track") return [{ edit: "set", item: end.owner, values: { input: start.owner } }]
  if (["track output", "track bus", "voice output", "voice bus", "bus output"].includes(way))
    return [{ edit: "set", item: start.owner, values: { output: end.owner } }]
  return null
}

/** What a drop of one peg on another does: the change is shown first where it takes something away. */
export function useDrop() {
  const { state, say } = useRig()
  const propose = usePropose()
  return (from: string, to: string) => {
    if (!from || from === to) return
    const edits = joinPegs(state.rig, from, to)
    if (edits === null)
      say("Nothing joins these two: drag a source to an input jack, an output jack to headphones.")
    else void propose({ edits, words: "join the two pegs", unlessHarmless: true })
  }
}
