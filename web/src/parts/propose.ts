import { createContext, useContext } from "react"

import type { Edit } from "../api/client"

export interface Asked {
  edits: Edit[]
  /** What would be done, as a command. */
  words: string
  /** Made at once where it takes nothing away. */
  unlessHarmless?: boolean
}

interface Proposing {
  /** Show a change before it is made; whether it was kept, refused, or left as it was. */
  propose: (asked: Asked) => Promise<boolean | "left">
}

export const ProposeContext = createContext<Proposing | null>(null)

export function usePropose(): Proposing["propose"] {
  const proposing = useContext(ProposeContext)
  if (!proposing) throw new Error("usePropose outside a rig")
  return proposing.propose
}

/** Proposes a change of fields of one thing, unless it takes nothing away. */
export function useCarefulSet(item: string, name: string) {
  const propose = usePropose()
  return (values: Extract<Edit, { edit: "set" }>["values"], words: string) =>
    propose({ edits: [{ edit: "set", item, values }], words: `${name}: ${words}`, unlessHarmless: true })
}
