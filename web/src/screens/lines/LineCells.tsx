import { Box, Flex, chakra } from "@chakra-ui/react"
import { useRef, useState } from "react"

import type { LineView, Station } from "../../api/client"
import { useRig } from "../../api/rig"
import type { Kept } from "../../parts/Commit"
import { Figure, Input } from "../../parts/controls"
import { Tick } from "../../parts/Mark"
import type { Range } from "./columns"
import { StationEditor } from "./StationEditor"

/** A tick for a line that a check proved and nothing has changed since; words for one it did not, or no longer. */
export function ProofMark({ proof }: { proof: "proved" | "stale" | "failed" | undefined }) {
  if (proof === "proved") return <Tick label="proved" />
  if (proof === "stale") return <chakra.span color="ink3">stale</chakra.span>
  if (proof === "failed") return <chakra.span color="wax">checked</chakra.span>
  return null
}

export function Cell(props: {
  chosen: boolean
  first?: boolean
  right?: boolean
  wax?: boolean
  children?: React.ReactNode
}) {
  return (
    <chakra.td
      h="row"
      px="6px"
      bg={props.chosen ? "wash" : "sheet"}
      boxShadow={props.chosen && props.first ? "inset 3px 0 0 {colors.sea}" : undefined}
      borderBottom="1px solid"
      borderColor="rule"
      textAlign={props.right ? "right" : "left"}
      whiteSpace="nowrap"
      overflow="hidden"
      textOverflow="ellipsis"
    >
      {props.children}
    </chakra.td>
  )
}

export interface EditableProps {
  line: LineView
  chosen: boolean
  open: boolean
  onOpen: () => void
  onMove: (step: number) => void
  onLeave: () => void
  /** A typed range fills downward from this line. */
  onRange: (range: Range) => void
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
    <chakra.td
      h="row"
      p="0"
      bg={props.chosen ? "wash" : "sheet"}
      borderBottom="1px solid"
      borderColor="rule"
      whiteSpace="nowrap"
      overflow="hidden"
      textOverflow="ellipsis"
      onDoubleClick={props.onOpen}
    >
      {props.open ? (
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
          onBlur={(event) => void keep(event.target.value, props.onLeave)}
          onKeyDown={(event) => {
            if (event.key === "Enter") {
              event.preventDefault()
              void keep(event.currentTarget.value, props.onLeave)
            } else if (event.key === "Escape") {
              event.preventDefault()
              done.current = true
              setBad(false)
              props.onLeave()
            } else if (event.key === "Tab") {
              event.preventDefault()
              const step = event.shiftKey ? -1 : 1
              void keep(event.currentTarget.value, () => props.onMove(step))
            }
          }}
        />
      ) : (
        <Box px="6px" textAlign={props.right ? "right" : "left"} overflow="hidden" textOverflow="ellipsis">
          {props.shown}
        </Box>
      )}
    </chakra.td>
  )
}

/** The line's name; a new one goes to everything that bears the old one, where something does. */
export function NameCell(props: EditableProps & { under?: Station | undefined }) {
  const { edit, state } = useRig()
  const { line } = props
  const shared = state.rig.gear.some(
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
          <b title={line.name}>{line.name}</b>
          {props.under?.label && <chakra.span color="ink2"> {props.under.label}</chakra.span>}
        </>
      }
      onKeep={(name) =>
        edit(
          shared && name
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
        const limit = text === "" ? null : Number(text.replace(",", ".").replace(/\s*ms$/i, ""))
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
  const range =
    line.earliest_samples === line.latest_samples
      ? `${line.latest_ms?.toFixed(2)} ms ${line.latest_samples}`
      : `${line.earliest_ms?.toFixed(2)} / ${line.latest_ms?.toFixed(2)}`
  return (
    <Figure title={line.delay_assumed ? "One of the figures in this sum is from nobody" : undefined}>
      {line.delay_assumed ? "~" : ""}
      {range}
    </Figure>
  )
}

/** One station: gear and number on a rule of ink; a gap is two end ticks with its reason inside. */
export function StationCell(props: EditableProps & { station: Station; pencil?: string | undefined }) {
  const { station, chosen, line } = props
  const gap = station.state === "gap" || station.state === "blocked"
  const ruled = station.state === "on" || station.state === "beyond" || station.state === "passed"
  const double = station.copies > 1
  return (
    <chakra.td
      h="row"
      p="0"
      position="relative"
      overflow={props.open ? "visible" : "hidden"}
      bg={gap ? "waxWash" : chosen ? "wash" : "sheet"}
      borderBottom="1px solid"
      borderColor="rule"
      data-station={station.column}
      onDoubleClick={props.onOpen}
      boxShadow={gap ? "inset 1px 0 0 {colors.wax}, inset -1px 0 0 {colors.wax}" : undefined}
      _after={
        ruled
          ? {
              content: '""',
              position: "absolute",
              left: 0,
              right: 0,
              bottom: "1px",
              height: double ? "5px" : "2px",
              borderTop: double ? "2px solid" : undefined,
              borderBottom: station.state === "passed" ? "1px solid" : "2px solid",
              borderColor: "ink",
              pointerEvents: "none",
            }
          : undefined
      }
    >
      <Flex
        px="6px"
        gap="4px"
        align="center"
        h="24px"
        whiteSpace="nowrap"
        color={gap ? "wax" : station.state === "beyond" || station.state === "passed" ? "ink2" : "ink"}
        title={
          gap ? `${station.label} ${station.number} ${station.trouble}` : `${station.label} ${station.number}`
        }
      >
        <Box flex="1" minW="0" overflow="hidden" textOverflow="ellipsis">
          {gap ? station.trouble : station.label}
          {double && <b> ×{station.copies}</b>}
        </Box>
        {!gap && station.number && props.pencil === undefined && <Figure>{station.number}</Figure>}
        {props.pencil !== undefined && (
          <Figure color="pencil" bg="pencilWash" border="1px dashed" borderColor="pencil" px="3px">
            {props.pencil}
          </Figure>
        )}
      </Flex>
      {props.open && (
        <StationEditor
          line={line}
          column={station.column}
          onMove={props.onMove}
          onLeave={props.onLeave}
          onRange={props.onRange}
        />
      )}
    </chakra.td>
  )
}
