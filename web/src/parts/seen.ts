import { useCallback, useEffect, useLayoutEffect, useRef } from "react"

import { useRig } from "../api/rig"

export const WORKED_OUT = "it is still being worked out. Press again when it stands there."

/**
 * A press is answered by what stands on the screen, or by nothing: what is not shown is not made, neither now nor when
 * it comes. A press that makes nothing says so, with why; while something is being made, another one does nothing, and
 * what was made is not made twice. ``make`` answers false where it was refused and may be tried again.
 */
export function useShown<T>(
  shown: T | null | undefined,
  make: (shown: T) => Promise<unknown>,
  why: string = WORKED_OUT,
): () => void {
  const { say } = useRig()
  const making = useRef(false)
  const spent = useRef<T | null>(null)
  const told = useRef(false)
  const latest = useRef(() => {})
  // At once with what is drawn: a press never meets what stood there before.
  useLayoutEffect(() => {
    // What stands there again after something else may be made again: somebody took it back.
    if (shown !== spent.current) spent.current = null
    latest.current = () => {
      if (making.current || (shown !== null && shown === spent.current)) return
      if (shown === null || shown === undefined) {
        told.current = true
        say(`Nothing was made: ${why}`)
        return
      }
      making.current = true
      void make(shown)
        .then((kept) => {
          if (kept !== false) spent.current = shown
        })
        .finally(() => {
          making.current = false
        })
    }
  })
  const there = shown !== null && shown !== undefined
  useEffect(() => {
    if (!there || !told.current) return
    told.current = false
    say(null)
  }, [there, say])
  return useCallback(() => latest.current(), [])
}
