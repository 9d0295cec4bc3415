import { useQuery } from "@tanstack/react-query"
import { createContext, useContext } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"

export type Answer = Schemas["Answer"]
export type Reach = Schemas["Reach"]

/** Letters by peg: the chosen port's way in order; pegs of its other ways have an empty letter. */
export type Lit = ReadonlyMap<string, string>
export const LitContext = createContext<Lit>(new Map())
export const useLit = () => useContext(LitContext)

export const portKey = (owner: string, bank: string, number: number) => `${owner}/${bank}/${number}`

/** Banks whose pegs stand for a whole item: a track's is that before and behind its fader, legs share one. */
const ONE_PEG: Record<string, string> = {
  input: "input",
  track: "track",
  monitor: "track",
  post: "track",
  voice: "voice",
  bus: "bus",
  bus_out: "bus",
  output: "output",
}

export function pegKey(port: readonly [string, string, number]): string {
  const [owner, bank, number] = port
  const peg = ONE_PEG[bank]
  return peg === undefined ? portKey(owner, bank, number) : portKey(owner, peg, 1)
}

/** What arrives at a port and where it goes, whether a line wants it or not. */
export function useAnswer(port: string | null) {
  const { state } = useRig()
  const [owner = "", bank = "", number = "1"] = port?.split("/") ?? []
  return useQuery({
    queryKey: ["answer", state.id, state.revision, port],
    enabled: port !== null,
    retry: false,
    queryFn: () =>
      answer<Answer>(
        client.GET("/api/rigs/{rig_id}/answer", {
          params: {
            path: { rig_id: state.id },
            query: { owner, bank: bank as Answer["port"][1], number: Number(number) },
          },
        }),
      ),
  })
}

interface Step {
  key: string
  said: string
}

/** The chosen way through a port: from a source to it, and on to where it goes. */
export function wayOf(found: Answer | undefined, to: number, from: number): Step[] {
  if (!found) return []
  const before = found.arrives[from]?.steps ?? []
  const after = found.goes[to]?.steps ?? []
  const steps = before.length > 0 ? [...before, ...after.slice(1)] : after
  const seen = new Set<string>()
  return steps
    .map((step) => ({ key: pegKey(step.port), said: step.said }))
    .filter((step) => !seen.has(step.key) && seen.add(step.key))
}

const letter = (place: number) => String.fromCharCode(97 + (place % 26))

export function litBy(found: Answer | undefined, way: Step[]): Lit {
  const lit = new Map<string, string>()
  for (const reach of [...(found?.arrives ?? []), ...(found?.goes ?? [])])
    if (reach.passes) for (const step of reach.steps) lit.set(pegKey(step.port), "")
  way.forEach((step, place) => lit.set(step.key, letter(place)))
  return lit
}
