import { useLayoutEffect, useRef } from "react"

/** The panel that lies over the right of a place now; there is one page, and one panel on it. */
let open: { close: () => void } | null = null

/** Takes the place of the panel that is open, which closes: two would lie on each other, and share one set of keys. */
export function useOnlyPanel(onClose: () => void) {
  const latest = useRef(onClose)
  useLayoutEffect(() => {
    latest.current = onClose
  })
  useLayoutEffect(() => {
    const mine = { close: () => latest.current() }
    const before = open
    open = mine
    before?.close()
    return () => {
      if (open === mine) open = null
    }
  }, [])
}
