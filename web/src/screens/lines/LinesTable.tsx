import { Box, Flex, chakra } from "@chakra-ui/react"
import { Fragment, useEffect, useRef, useState } from "react"

import type { LineView, Station } from "../../api/client"
import { useRig } from "../../api/rig"
import type { Kept } from "../../parts/Commit"
import { Figure, Input } from "../../parts/controls"
import { Mark, Tick } from "../../parts/Mark"
import { StationEditor } from "./StationEditor"

export type CellName = "name" | Station["column"] | "delay"
export const CELLS: CellName[] = [
  "name",
  "source",
  "box_in",
  "computer_in",
  "program_in",
  "track",
  "out",
  "delay",
]

const WIDTHS = [26, 34, 142, 122, 122, 122, 122, 122, 142, 114, 60, 96]
const TITLES = [
  "",
  "#",
  "Line",
  "Source",
  "Box in",
  "Computer in",
  "Program in",
  "Track",
  "Out",
  "Delay",
  "dBFS",
  "State",
]
const GROUP_WORDS = { record: "Record", listen: "Listen" }

interface Props {
  lines: LineView[]
  chosen: string | null
  cell: CellName | null
  onChoose: (id: string, cell: CellName | null) => void
  onMove: (step: number) => void
  onLeave: () => void
}

/** Lines in rows, stations aligned in columns, so that a repeated or skipped number is seen. */
export function LinesTable({ lines, chosen, cell, onChoose, onMove, onLeave }: Props) {
  const { proofs } = useRig().state.survey
  const chosenRow = useRef<HTMLTableRowElement>(null)
  useEffect(() => {
    chosenRow.current?.scrollIntoView({ block: "nearest" })
  }, [chosen])
  return (
    <chakra.table
      w="100%"
      minW="1200px"
      borderCollapse="separate"
      borderSpacing="0"
      tableLayout="fixed"
      textStyle="cell"
      aria-label="Lines"
    >
      <colgroup>
        {WIDTHS.map((width, column) => (
          <col key={column} style={{ width }} />
        ))}
      </colgroup>
      <thead>
        <tr>
          {TITLES.map((title, column) => (
            <chakra.th
              key={column}
              position="sticky"
              top="0"
              zIndex="2"
              bg="paper"
              textStyle="head"
              h="26px"
              px="6px"
              textAlign={[1, 9, 10].includes(column) ? "right" : "left"}
              borderBottom="1px solid"
              borderColor="edge"
            >
              {title || <chakra.span srOnly>Mark</chakra.span>}
            </chakra.th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map((line, index) => (
          <Fragment key={line.id}>
            {line.purpose !== lines[index - 1]?.purpose && <GroupRow purpose={line.purpose} lines={lines} />}
            <chakra.tr
              ref={line.id === chosen ? chosenRow : undefined}
              h="row"
              aria-selected={line.id === chosen}
              data-line={line.name}
              onClick={() => onChoose(line.id, null)}
            >
              <Cell chosen={line.id === chosen} first>
                {line.severity && <Mark severity={line.severity} />}
              </Cell>
              <Cell chosen={line.id === chosen} right>
                <Figure>{line.position}</Figure>
              </Cell>
              <NameCell
                line={line}
                chosen={line.id === chosen}
                open={line.id === chosen && cell === "name"}
                onOpen={() => onChoose(line.id, "name")}
                onMove={onMove}
                onLeave={onLeave}
              />
              {line.stations.map((station) => (
                <StationCell
                  key={station.column}
                  line={line}
                  station={station}
                  chosen={line.id === chosen}
                  open={line.id === chosen && cell === station.column}
                  onOpen={() => onChoose(line.id, station.column)}
                  onMove={onMove}
                  onLeave={onLeave}
                />
              ))}
              <DelayCell
                line={line}
                chosen={line.id === chosen}
                open={line.id === chosen && cell === "delay"}
                onOpen={() => onChoose(line.id, "delay")}
                onMove={onMove}
                onLeave={onLeave}
              />
              <Cell chosen={line.id === chosen} right>
                <Figure>{line.level_dbfs === null ? "" : line.level_dbfs?.toFixed(1)}</Figure>
              </Cell>
              <Cell chosen={line.id === chosen}>
                <chakra.span color={line.headline === "arrives" ? "ink" : "wax"} title={line.told}>
                  {line.headline}
                  {line.more_findings > 0 && ` +${line.more_findings}`} <ProofMark proof={proofs[line.id]} />
                </chakra.span>
              </Cell>
            </chakra.tr>
          </Fragment>
        ))}
      </tbody>
    </chakra.table>
  )
}

/** A tick for a line that a check proved and nothing has changed since; words for one it did not, or no longer. */
function ProofMark({ proof }: { proof: "proved" | "stale" | "failed" | undefined }) {
  if (proof === "proved") return <Tick label="proved" />
  if (proof === "stale") return <chakra.span color="ink3">stale</chakra.span>
  if (proof === "failed") return <chakra.span color="wax">checked</chakra.span>
  return null
}

function GroupRow({ purpose, lines }: { purpose: LineView["purpose"]; lines: LineView[] }) {
  const mine = lines.filter((line) => line.purpose === purpose)
  const stops = mine.filter((line) => line.severity === "stop").length
  const troubles = mine.filter((line) => line.severity === "trouble").length
  return (
    <chakra.tr h="row">
      <chakra.td
        colSpan={11}
        bg="paper"
        px="8px"
        pl="66px"
        fontWeight="600"
        color="ink2"
        borderBottom="1px solid"
        borderColor="rule"
      >
        {GROUP_WORDS[purpose]} · {mine.length} {mine.length === 1 ? "line" : "lines"}
      </chakra.td>
      <chakra.td bg="paper" px="6px" borderBottom="1px solid" borderColor="rule">
        <Flex gap="8px" align="center">
          {stops > 0 && (
            <Flex gap="3px" align="center">
              <Mark severity="stop" /> <Figure>{stops}</Figure>
            </Flex>
          )}
          {troubles > 0 && (
            <Flex gap="3px" align="center">
              <Mark severity="trouble" /> <Figure>{troubles}</Figure>
            </Flex>
          )}
        </Flex>
      </chakra.td>
    </chakra.tr>
  )
}

function Cell(props: {
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

interface EditableProps {
  line: LineView
  chosen: boolean
  open: boolean
  onOpen: () => void
  onMove: (step: number) => void
  onLeave: () => void
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

function NameCell(props: EditableProps) {
  const { edit } = useRig()
  const { line } = props
  return (
    <TextCell
      {...props}
      label={`Name of line ${line.position}`}
      value={line.name}
      shown={<b title={line.name}>{line.name}</b>}
      onKeep={(name) => edit([{ edit: "set", item: line.id, values: { name } }])}
    />
  )
}

function DelayCell(props: EditableProps) {
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

function Delay({ line }: { line: LineView }) {
  if (line.latest_ms === null || line.earliest_ms === null) return null
  const range =
    line.earliest_samples === line.latest_samples
      ? `${line.latest_ms?.toFixed(2)} ms ${line.latest_samples}`
      : `${line.earliest_ms?.toFixed(2)} / ${line.latest_ms?.toFixed(2)}`
  return <Figure>{range}</Figure>
}

/** One station: gear and number on a rule of ink; a gap is two end ticks with its reason inside. */
function StationCell(props: EditableProps & { station: Station }) {
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
        {!gap && station.number && <Figure>{station.number}</Figure>}
      </Flex>
      {props.open && (
        <StationEditor line={line} column={station.column} onMove={props.onMove} onLeave={props.onLeave} />
      )}
    </chakra.td>
  )
}
