import { createContext, useContext, useEffect, useRef, useState, type ReactNode } from "react"
import { flushSync } from "react-dom"

import { lettersOn } from "./settings"

export interface Binding {
  /** As shown to the user: "n", "Ctrl+Z", "]". */
  keys: string
  words: string
  run: () => void
  /** Works while a field has focus, too. */
  inFields?: boolean
}

const Registry = createContext<{ current: Map<symbol, Binding[]> } | null>(null)

function matches(binding: Binding, event: KeyboardEvent): boolean {
  const parts = binding.keys.split("+")
  const key = parts.length > 1 && parts[parts.length - 1] === "" ? "+" : (parts[parts.length - 1] ?? "")
  const control = parts.includes("Ctrl")
  if (control !== (event.ctrlKey || event.metaKey)) return false
  if (event.altKey !== parts.includes("Alt")) return false
  if (parts.includes("Shift") && !event.shiftKey) return false
  // An arrow with Shift is another key; a sign such as ? needs Shift to be typed.
  if ((control || key.length > 1) && !parts.includes("Shift") && event.shiftKey) return false
  return event.key === key || (key.length === 1 && control && event.key.toLowerCase() === key.toLowerCase())
}

/** What Enter and Space are for already. */
function pressed(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLButtonElement || (target instanceof HTMLInputElement && target.type === "checkbox")
  )
}

function inField(target: EventTarget | null): boolean {
  return (
    (target instanceof HTMLInputElement && target.type !== "checkbox") ||
    target instanceof HTMLTextAreaElement
  )
}

/** A letter or a figure on a closed drop-down is a command, never a choice made unseen. */
function onClosedSelect(event: KeyboardEvent): boolean {
  const { target } = event
  if (!(target instanceof HTMLSelectElement)) return false
  try {
    return !target.matches(":open")
  } catch {
    return true
  }
}

/** A drop-down of a form is one of its fields: letters choose in it, and what is chosen counts when the form is sent. */
function ofForm(target: EventTarget | null): boolean {
  return target instanceof HTMLSelectElement && target.closest("form") !== null
}

/** Keys that a drop-down has for itself. */
const OF_SELECTS = ["Enter", " ", "Escape", "ArrowUp", "ArrowDown", "ArrowLeft", "ArrowRight"]

/** Listens once for the whole page; the bindings registered last come first. */
export function KeysProvider({ children }: { children: ReactNode }) {
  const bindings = useRef(new Map<symbol, Binding[]>())
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (event.defaultPrevented) return
      const plain = !event.ctrlKey && !event.metaKey && !event.altKey
      for (const group of [...bindings.current.values()].reverse()) {
        for (const binding of group) {
          if (!matches(binding, event)) continue
          if (plain && /^[a-z]$/i.test(binding.keys) && !lettersOn()) continue
          const field = inField(event.target) || ofForm(event.target)
          if (field && !binding.inFields && (plain || binding.keys.startsWith("Ctrl+"))) continue
          const select = event.target instanceof HTMLSelectElement
          if (
            select &&
            plain &&
            !binding.inFields &&
            (!onClosedSelect(event) || OF_SELECTS.includes(event.key))
          )
            continue
          if (pressed(event.target) && plain && ["Enter", " "].includes(event.key)) continue
          event.preventDefault()
          // What a key changes stands before the next key is heard, however fast they come.
          flushSync(binding.run)
          return
        }
      }
      if (
        plain &&
        event.key.length === 1 &&
        event.key !== " " &&
        onClosedSelect(event) &&
        !ofForm(event.target)
      )
        event.preventDefault()
    }
    window.addEventListener("keydown", listen)
    return () => window.removeEventListener("keydown", listen)
  }, [])
  return <Registry value={bindings}>{children}</Registry>
}

/** Bind keys while this component is on screen. */
export function useKeys(group: Binding[]) {
  const registry = useContext(Registry)
  const [mine] = useState(() => Symbol("keys"))
  useEffect(() => {
    registry?.current.set(mine, group)
  })
  useEffect(() => {
    const all = registry?.current
    return () => {
      all?.delete(mine)
    }
  }, [registry, mine])
}

/** Every binding that works now, for the list of keys. */
export function useAllKeys(): () => Binding[] {
  const registry = useContext(Registry)
  return () => [...(registry?.current.values() ?? [])].flat()
}
