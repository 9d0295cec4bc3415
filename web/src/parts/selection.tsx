import { createContext, useContext } from "react"

/** What is chosen on the screens of one rig, and what lies open over them. */
export interface Selection {
  line: string | null
  chooseLine: (id: string | null) => void
  /** The snag drawer: closed (null), open ("") or open at a snag. */
  snag: string | null
  openSnags: (key: string | null) => void
}

export const SelectionContext = createContext<Selection | null>(null)

export function useSelection(): Selection {
  const selection = useContext(SelectionContext)
  if (!selection) throw new Error("useSelection outside a rig")
  return selection
}
