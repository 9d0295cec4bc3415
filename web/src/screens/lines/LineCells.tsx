import { useRef, useState } from "react"

import type { LineView, Station } from "../../api/client"
import { useRig } from "../../api/rig"
import type { Kept } from "../../parts/Commit"
import { Input } from "../../parts/controls"
import { numberOf } from "../../parts/figures"
import { Tick } from "../../parts/Mark"
import type { CellName, Range } from "./columns"
import { StationEditor } from "./StationEditor"
import { Swatch } from "./Swatch"

interface Proof {
  proof: "proved" | "stale" | "failed" | undefined
  /** Another start is as late as it falls: a proof holds for the one that was heard. */
  falls: boolean
}

/** A tick for a line that a check proved and nothing has changed since; words for one it did not, or no longer. */
export function ProofMark({ proof, falls }: Proof) {
  if (proof === "proved" && falls)
    return (
      <>
        <Tick label="proved" /> <span className="in-ink3">this start</span>
      </>
    )
  if (proof === "proved") return <Tick label="proved" />
  if (proof === "stale") return <span className="in-ink3">stale</span>
  if (proof === "failed") return <span className="in-wax">checked</span>
  return null
}

/** Classes by their conditions. */
export const classes = (...names: (string | false | undefined)[]) => names.filter(Boolean).join(" ")

export function Cell(props: {
  first?: boolean
  right?: boolean
  last?: boolean
  children?: React.ReactNode
}) {
  const { first, right, last } = props
  return (
    <td className={classes("cell", first && "first", right && "right", last && "last")}>{props.children}</td>
  )
}

/** What the open cell of a row does when it is left. */
export interface Editing {
  cell: CellName
  onMove: (step: number) => void
  onLeave: () => void
  /** A typed range fills downward from this line. */
  onRange: (line: string, column: CellName, range: Range) => void
}

interface EditableProps {
  line: LineView
  /** Given while this cell is open. */
  editing: Editing | undefined
  onOpen: () => void
}

/** A cell that becomes a text field: Enter and Tab keep, Escape leaves it as it was. */
function TextCell(
  props: EditableProps & {
    label: string
    value: string
    right?: boolean
    shown: React.ReactNode
    onKeep: (text: string) => Kept
  },
) {
  const { editing } = props
  const done = useRef(false)
  const [bad, setBad] = useState(false)
  // What is refused stays in the cell as it was typed; Escape gives it up.
  const keep = async (text: string, then: () => void) => {
    if (done.current) return
    done.current = true
    const refused = text.trim() !== props.value && (await props.onKeep(text.trim())) === false
    setBad(refused)
    if (refused) done.current = false
    else then()
  }
  return (
    <td className={classes("cell", "bare", props.right && "right")} onDoubleClick={props.onOpen}>
      {editing ? (
        <Input
          autoFocus
          w="100%"
          h="27px"
          figure={props.right}
          bad={bad}
          aria-invalid={bad}
          aria-label={props.label}
          defaultValue={props.value}
          onFocus={(event) => {
            done.current = false
            if (!bad) event.target.select()
          }}
          onBlur={(event) => void keep(event.target.value, editing.onLeave)}
          onKeyDown={(event) => {
            if (event.key === "Enter") {
              event.preventDefault()
              void keep(event.currentTarget.value, editing.onLeave)
            } else if (event.key === "Escape") {
              event.preventDefault()
              done.current = true
              setBad(false)
              editing.onLeave()
            } else if (event.key === "Tab") {
              event.preventDefault()
              const step = event.shiftKey ? -1 : 1
              void keep(event.currentTarget.value, () => editing.onMove(step))
            }
          }}
        />
      ) : (
        <div className="inside">{props.shown}</div>
      )}
    </td>
  )
}

/** The line's name; a new one goes to everything that bears the old one, where something does. */
export function NameCell(props: EditableProps & { under?: Station | undefined }) {
  const { edit, state } = useRig()
  const { line } = props
  const shared = () =>
    state.rig.gear.some(
      (gear) =>
        gear.name === line.name ||
        (gear.kind === "program" && [...gear.inputs, ...gear.tracks].some((item) => item.name === line.name)),
    )
  return (
    <TextCell
      {...props}
      label={`Name of line ${line.position}`}
      value={line.name}
      shown={
        <>
          <Swatch colour={line.colour} />
          <b title={line.name}>{line.name}</b>
          {props.under?.label && <span className="in-ink2"> {props.under.label}</span>}
        </>
      }
      onKeep={(name) =>
        edit(
          name && shared()
            ? [{ edit: "rename_everywhere", old: line.name, new: name }]
            : [{ edit: "set", item: line.id, values: { name } }],
        )
      }
    />
  )
}

export function DelayCell(props: EditableProps) {
  const { edit, say } = useRig()
  const { line } = props
  return (
    <TextCell
      {...props}
      right
      label={`Longest delay of ${line.name} in ms`}
      value={line.longest_delay_ms === null ? "" : String(line.longest_delay_ms)}
      shown={<Delay line={line} />}
      onKeep={(text) => {
        const limit = text === "" ? null : (numberOf(text.replace(/\s*ms$/i, "")) ?? NaN)
        if (!Number.isNaN(limit))
          return edit([{ edit: "set", item: line.id, values: { longest_delay_ms: limit } }])
        say(`${line.name}: “${text}” is no delay in milliseconds; type for example 10.`)
        return false
      }}
    />
  )
}

export function Delay({ line }: { line: LineView }) {
  if (line.latest_ms === null || line.earliest_ms === null) return null
  const range = line.delay_open
    ? `${line.earliest_ms.toFixed(0)} to ${line.latest_ms.toFixed(0)} ms`
    : line.earliest_samples === line.latest_samples
      ? `${line.latest_ms.toFixed(2)} ms ${line.latest_samples}`
      : `${line.earliest_ms.toFixed(2)} / ${line.latest_ms.toFixed(2)}`
  return (
    <span
      className="figure"
      title={line.delay_assumed ? "One of the figures in this sum is from nobody" : undefined}
    >
      {line.delay_assumed ? "~" : ""}
      {range}
    </span>
  )
}

/** One station: gear and number on a rule of ink; a gap is two end ticks with its reason inside. */
export function StationCell(props: EditableProps & { station: Station; pencil?: string | undefined }) {
  const { station, editing, line } = props
  const gap = station.state === "gap" || station.state === "blocked"
  const ruled = station.state === "on" || station.state === "beyond" || station.state === "passed"
  const double = station.copies > 1
  const said = `${station.label} ${station.number}`
  return (
    <td
      className={classes(
        "cell station",
        editing && "open",
        gap && "gap",
        ruled && "ruled",
        ruled && double && "double",
        station.state === "passed" && "passed",
        (station.state === "beyond" || station.state === "passed") && "pale",
      )}
      data-station={station.column}
      onDoubleClick={props.onOpen}
    >
      <div className="stop" title={gap ? `${said} ${station.trouble}` : said}>
        <div className="clip">
          {gap ? station.trouble : station.label}
          {double && <b> ×{station.copies}</b>}
        </div>
        {!gap && station.number && props.pencil === undefined && (
          <span className="figure">{station.number}</span>
        )}
        {props.pencil !== undefined && <span className="figure pencilled">{props.pencil}</span>}
      </div>
      {editing && (
        <StationEditor
          line={line}
          column={station.column}
          onMove={editing.onMove}
          onLeave={editing.onLeave}
          onRange={(range) => editing.onRange(line.id, station.column, range)}
        />
      )}
    </td>
  )
}
