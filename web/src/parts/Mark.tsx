export type Severity = "stop" | "trouble" | "risk" | "note"

const WORDS: Record<Severity, string> = { stop: "stops", trouble: "trouble", risk: "risk", note: "note" }

const SHAPES: Record<Severity, { d: string; filled: boolean; wax: boolean }> = {
  stop: { d: "M1.5 1.5h9v9h-9z", filled: true, wax: true },
  trouble: { d: "M6 1.2L11.2 10.8H0.8z", filled: true, wax: true },
  risk: { d: "M6 1L11 6L6 11L1 6z", filled: false, wax: true },
  note: { d: "M6 1.5a4.5 4.5 0 1 0 0.001 0z", filled: false, wax: false },
}

/** A severity as a shape: filled square, filled triangle, open diamond, open circle. Never a hue alone. */
export function Mark({ severity, label }: { severity: Severity; label?: string }) {
  const shape = SHAPES[severity]
  return (
    <svg
      viewBox="0 0 12 12"
      className={`mark ${shape.wax ? "in-wax" : "in-ink3"}`}
      role="img"
      aria-label={label ?? WORDS[severity]}
    >
      <path
        d={shape.d}
        fill={shape.filled ? "currentColor" : "none"}
        stroke="currentColor"
        strokeWidth={shape.filled ? 0 : 1.4}
      />
    </svg>
  )
}

/** A tick, drawn: neither of the faces has one. */
export function Tick({ label }: { label: string }) {
  return (
    <svg
      viewBox="0 0 12 12"
      className="mark"
      role={label ? "img" : undefined}
      aria-label={label || undefined}
      aria-hidden={!label}
    >
      <path d="M1.5 6.5L4.5 9.5L10.5 2.5" fill="none" stroke="currentColor" strokeWidth="1.6" />
    </svg>
  )
}
