import { useCallback, useState, type RefObject } from "react"

import { useRig } from "../api/rig"

const PREFIX = "iskelo draft "

function read(key: string): unknown {
  try {
    return JSON.parse(sessionStorage.getItem(PREFIX + key) ?? "null")
  } catch {
    return null
  }
}

function write(key: string, value: unknown) {
  try {
    if (value === null) sessionStorage.removeItem(PREFIX + key)
    else sessionStorage.setItem(PREFIX + key, JSON.stringify(value))
  } catch {
    // A browser that keeps nothing, or no more: what is typed lives as long as its form.
  }
}

/**
 * Something typed that is not made yet: it outlives its form, a change of place and a reload, in this window and for
 * this rig, until it is put back to what is empty.
 */
export function useDraft<T>(name: string, empty: T): [T, (value: T) => void, () => void] {
  const { state } = useRig()
  const key = `${state.id} ${name}`
  const [held, setHeld] = useState(() => ({ key, value: (read(key) as T | null) ?? empty }))
  // The same form for something else has that thing's draft.
  const now = held.key === key ? held : { key, value: (read(key) as T | null) ?? empty }
  if (now !== held) setHeld(now)
  const { value } = now
  const put = useCallback(
    (next: T) => {
      setHeld({ key, value: next })
      write(key, JSON.stringify(next) === JSON.stringify(empty) ? null : next)
    },
    [key, empty],
  )
  const clear = useCallback(() => put(empty), [put, empty])
  return [value, put, clear]
}

/**
 * Sends what is typed in a field: it is empty at once, so that the next can be typed, and has the text again where that
 * was refused and nothing else was typed meanwhile.
 */
export async function sent(
  field: RefObject<HTMLInputElement | null>,
  text: string,
  put: (text: string) => void,
  send: (text: string) => Promise<boolean>,
): Promise<boolean> {
  put("")
  const kept = await send(text)
  if (!kept && !field.current?.value) put(text)
  return kept
}
