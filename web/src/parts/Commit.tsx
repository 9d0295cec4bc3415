import { useRef, useState } from "react"

import { useRig } from "../api/rig"
import { Input } from "./controls"
import { Reason } from "./Reason"

/** Whether a value was kept; a refused one stays in its field, one that was left again goes. */
export type Kept = Promise<boolean | "left"> | boolean

interface Props {
  value: string | number | null
  label: string
  onKeep: (text: string) => Kept
  width?: string
  figure?: boolean
  placeholder?: string
}

/** To hundredths, as far as anybody reads; what is not typed anew stays exact. */
const rounded = (value: number) => Math.round(100 * value) / 100

/** Waits until what an answer has changed stands on the screen. */
const drawn = () =>
  new Promise((ready) => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(ready))))

/** A field that keeps on Enter or when left; what is refused stays as typed, marked, with the reason, until Escape. */
export function Commit({ value, label, onKeep, width = "100%", figure = false, placeholder }: Props) {
  const shown = value === null ? "" : typeof value === "number" ? String(rounded(value)) : value
  const field = useRef<HTMLInputElement>(null)
  // A refusal is one of what stood in the field; where that is another value now it is none of it.
  const [last, setRefused] = useState<{ shown: string; why: string | null } | null>(null)
  const refused = last?.shown === shown ? last : null
  const { take } = useRig()
  const keep = async () => {
    const text = field.current?.value.trim() ?? ""
    if (text === shown) return setRefused(null)
    const kept = await onKeep(text)
    if (kept === "left" && field.current) field.current.value = shown
    if (kept !== false) return setRefused(null)
    setRefused({ shown, why: null })
    // A field that has gone with what was refused, because somebody else took it away, leaves it to be told to all.
    await drawn()
    if (field.current?.isConnected) setRefused({ shown, why: take() })
  }
  return (
    <>
      <Input
        ref={field}
        key={shown}
        w={width}
        figure={figure}
        bad={refused !== null}
        aria-invalid={refused !== null}
        aria-label={label}
        placeholder={placeholder}
        defaultValue={shown}
        onInput={() => refused && setRefused({ shown, why: null })}
        onBlur={() => void keep()}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur()
          if (event.key === "Escape") {
            event.currentTarget.value = shown
            event.currentTarget.blur()
          }
        }}
      />
      {refused?.why && <Reason of={field}>{refused.why}</Reason>}
    </>
  )
}
