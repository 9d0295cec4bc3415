import { useRef, useState } from "react"

import { Input } from "./controls"

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

/** A field that keeps on Enter or when left; what is refused stays as typed, marked, until Escape. */
export function Commit({ value, label, onKeep, width = "100%", figure = false, placeholder }: Props) {
  const shown = value === null ? "" : typeof value === "number" ? String(rounded(value)) : value
  const field = useRef<HTMLInputElement>(null)
  const [bad, setBad] = useState(false)
  const keep = async () => {
    const text = field.current?.value.trim() ?? ""
    if (text === shown) return setBad(false)
    const kept = await onKeep(text)
    if (kept === "left" && field.current) field.current.value = shown
    setBad(kept === false)
  }
  return (
    <Input
      ref={field}
      key={shown}
      w={width}
      figure={figure}
      bad={bad}
      aria-invalid={bad}
      aria-label={label}
      placeholder={placeholder}
      defaultValue={shown}
      onBlur={() => void keep()}
      onKeyDown={(event) => {
        if (event.key === "Enter") event.currentTarget.blur()
        if (event.key === "Escape") {
          event.currentTarget.value = shown
          event.currentTarget.blur()
        }
      }}
    />
  )
}
