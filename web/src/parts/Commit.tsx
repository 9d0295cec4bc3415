import { useRef } from "react"

import { Input } from "./controls"

interface Props {
  value: string | number | null
  label: string
  onKeep: (text: string) => void
  width?: string
  figure?: boolean
  placeholder?: string
}

/** A field that keeps on Enter or when left, and goes back to what was on Escape. */
export function Commit({ value, label, onKeep, width = "100%", figure = false, placeholder }: Props) {
  const shown = value === null ? "" : String(value)
  const field = useRef<HTMLInputElement>(null)
  const keep = () => {
    const text = field.current?.value.trim() ?? ""
    if (text !== shown) onKeep(text)
  }
  return (
    <Input
      ref={field}
      key={shown}
      w={width}
      figure={figure}
      aria-label={label}
      placeholder={placeholder}
      defaultValue={shown}
      onBlur={keep}
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
