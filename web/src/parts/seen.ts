import { useCallback, useEffect, useRef, useState } from "react"

/**
 * Nothing is made that was not shown. A press before the preview stands there waits for it; a change of what
 * is asked takes the press back.
 */
export function useOnceSeen<T>(
  seen: T | null | undefined,
  run: (seen: T) => void,
): { press: () => void; takeBack: () => void } {
  const [presses, setPresses] = useState(0)
  const answered = useRef(0)
  const latest = useRef(run)
  useEffect(() => {
    latest.current = run
  })
  useEffect(() => {
    if (presses === answered.current || seen === null || seen === undefined) return
    answered.current = presses
    latest.current(seen)
  }, [presses, seen])
  const press = useCallback(() => setPresses((count) => count + 1), [])
  const takeBack = useCallback(() => {
    setPresses((count) => {
      answered.current = count
      return count
    })
  }, [])
  return { press, takeBack }
}
