import { useCallback, useSyncExternalStore } from "react"

const PREFIX = "iskelo "
const listeners = new Set<() => void>()

function subscribe(listener: () => void) {
  listeners.add(listener)
  window.addEventListener("storage", listener)
  return () => {
    listeners.delete(listener)
    window.removeEventListener("storage", listener)
  }
}

function read(name: string): string | null {
  try {
    return localStorage.getItem(PREFIX + name)
  } catch {
    return null
  }
}

/** A setting of this browser, kept over reloads and shared by its windows. */
export function useSetting<T extends string>(name: string, usual: T): [T, (value: T) => void] {
  const value = useSyncExternalStore(subscribe, () => read(name) ?? usual)
  const put = useCallback(
    (next: T) => {
      try {
        localStorage.setItem(PREFIX + name, next)
      } catch {
        return
      }
      for (const listener of listeners) listener()
    },
    [name],
  )
  return [value as T, put]
}

/** Whether single letters command; read where keys are heard. */
export const LETTERS = "letter keys"
export const lettersOn = () => read(LETTERS) !== "off"

const onResize = (listener: () => void) => {
  window.addEventListener("resize", listener)
  return () => window.removeEventListener("resize", listener)
}

/** The window's width in px, as it is now. */
export function useWidth(): number {
  return useSyncExternalStore(onResize, () => window.innerWidth)
}
