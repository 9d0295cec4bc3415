import { Box, Flex, chakra } from "@chakra-ui/react"
import { useVirtualizer } from "@tanstack/react-virtual"
import { useEffect, useRef, useState } from "react"

import type { LineView, Station } from "../../api/client"
import { useRig } from "../../api/rig"
import type { Kept } from "../../parts/Commit"
import { Figure, Input } from "../../parts/controls"
import { Mark, Tick } from "../../parts/Mark"
import { spanOf, type Group, type RowItem, type Run } from "./rows"
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

const ROW_PX = 28
/** Rows beyond the visible ones that are kept, so that a page of scrolling finds them there. */
const OVERSCAN = 12

interface ColumnShape {
  key: string
  title: string
  width: number
  right?: boolean
}

/** The columns; where the room is short the source stands in the line's cell, and the level on the tape measure. */
function columnsFor(narrow: boolean): ColumnShape[] {
  const all: ColumnShape[] = [
    { key: "mark", title: "", width: 28 },
    { key: "number", title: "#", width: 36, right: true },
    { key: "line", title: "Line", width: narrow ? 150 : 142 },
    { key: "source", title: "Source", width: 122 },
    { key: "box_in", title: "Box in", width: 122 },
    { key: "computer_in", title: "Computer in", width: 122 },
    { key: "program_in", title: "Program in", width: 122 },
    { key: "track", title: "Track", width: 122 },
    { key: "out", title: "Out", width: narrow ? 122 : 140 },
    { key: "delay", title: "Delay", width: 114, right: true },
    { key: "level", title: "dBFS", width: 60, right: true },
    { key: "state", title: "State", width: 94 },
  ]
  if (!narrow) return all
  const slim = { mark: 34, number: 34, line: 130, delay: 112, state: 92 } as Record<string, number>
  return all
    .filter((column) => !["source", "level"].includes(column.key))
    .map((column) => ({ ...column, width: slim[column.key] ?? 100 }))
}

interface Props {
  rows: RowItem[]
  scroller: HTMLDivElement | null
  narrow: boolean
  chosen: string | null
  marked: ReadonlySet<string>
  pencil: ReadonlyMap<string, string>
  pencilColumn: CellName | null
  cell: CellName | null
  onChoose: (id: string, cell: CellName | null) => void
  onGroup: (key: string) => void
  onRun: (id: string) => void
  onMove: (step: number) => void
  onLeave: () => void
}

const holds = (row: RowItem, id: string | null): boolean =>
  row.kind === "line"
    ? row.line.id === id
    : row.kind === "run"
      ? row.lines.some((line) => line.id === id)
      : false

/** Lines in rows, stations aligned in columns, so that a repeated or skipped number is seen. */
export function LinesTable(props: Props) {
  const { rows, scroller, narrow, chosen, cell } = props
  const { proofs } = useRig().state.survey
  const columns = columnsFor(narrow)
  // What is scrolled is not React's: a virtual list reads it on every frame.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller,
    estimateSize: () => ROW_PX,
    overscan: OVERSCAN,
    scrollPaddingStart: 30,
    getItemKey: (index) => rows[index]?.key ?? index,
  })
  const at = rows.findIndex((row) => holds(row, chosen))
  const { scrollToIndex } = virtual
  useEffect(() => {
    if (at >= 0) scrollToIndex(at, { align: "auto" })
  }, [at, scrollToIndex])
  const shown = virtual.getVirtualItems()
  const before = shown[0]?.start ?? 0
  const after = virtual.getTotalSize() - (shown.at(-1)?.end ?? 0)
  return (
    <chakra.table
      w="100%"
      borderCollapse="separate"
      borderSpacing="0"
      tableLayout="fixed"
      textStyle="cell"
      aria-label="Lines"
      aria-rowcount={rows.length + 1}
    >
      <colgroup>
        {columns.map((column) => (
          <col key={column.key} style={{ width: column.width }} />
        ))}
      </colgroup>
      <thead>
        <tr>
          {columns.map((column) => (
            <chakra.th
              key={column.key}
              position="sticky"
              top="0"
              zIndex="2"
              bg="paper"
              textStyle="head"
              h="26px"
              px="6px"
              textAlign={column.right ? "right" : "left"}
              borderBottom="1px solid"
              borderColor="edge"
            >
              {column.title || <chakra.span srOnly>Mark</chakra.span>}
            </chakra.th>
          ))}
        </tr>
      </thead>
      <tbody>
        {before > 0 && (
          <tr aria-hidden>
            <td style={{ height: before }} />
          </tr>
        )}
        {shown.map(({ index }) => {
          const row = rows[index]
          if (!row) return null
          if (row.kind === "group")
            return (
              <GroupRow
                key={row.key}
                group={row}
                columns={columns.length}
                onTurn={() => props.onGroup(row.key)}
              />
            )
          if (row.kind === "run")
            return (
              <RunRow
                key={row.key}
                run={row}
                columns={columns}
                chosen={holds(row, chosen)}
                onChoose={() => props.onChoose(row.lines[0]?.id ?? "", null)}
                onOpen={() => props.onRun(row.lines[0]?.id ?? "")}
              />
            )
          return (
            <LineRow
              key={row.key}
              {...props}
              line={row.line}
              columns={columns}
              proof={proofs[row.line.id]}
              open={row.line.id === chosen ? cell : null}
            />
          )
        })}
        {after > 0 && (
          <tr aria-hidden>
            <td style={{ height: after }} />
          </tr>
        )}
      </tbody>
    </chakra.table>
  )
}

/** One tick per line in trouble over the height of all rows, at the right edge: click to go there. */
export function Gutter({ rows, onGo }: { rows: RowItem[]; onGo: (id: string) => void }) {
  const ticks = rows.flatMap((row, index) =>
    row.kind === "line" && row.line.headline !== "arrives" ? [{ index, line: row.line }] : [],
  )
  return (
    <Box position="absolute" right="0" top="27px" bottom="0" w="10px" zIndex="3" pointerEvents="none">
      {ticks.map(({ index, line }) => (
        <chakra.button
          key={line.id}
          tabIndex={-1}
          aria-hidden
          position="absolute"
          right="1px"
          w="8px"
          h="3px"
          bg="wax"
          cursor="pointer"
          pointerEvents="auto"
          title={`${line.name}: ${line.headline}`}
          style={{ top: `min(${ROW_PX * index + 13}px, ${(100 * (index + 0.5)) / rows.length}%)` }}
          onClick={() => onGo(line.id)}
        />
      ))}
    </Box>
  )
}

function LineRow(
  props: Props & {
    line: LineView
    columns: ColumnShape[]
    proof: "proved" | "stale" | "failed" | undefined
    open: CellName | null
  },
) {
  const { line, open } = props
  const chosen = line.id === props.chosen
  const marked = props.marked.has(line.id)
  const cells = (name: CellName) => ({
    line,
    chosen: chosen || marked,
    open: open === name,
    onOpen: () => props.onChoose(line.id, name),
    onMove: props.onMove,
    onLeave: props.onLeave,
  })
  const source = line.stations.find((each) => each.column === "source")
  const shown = line.stations.filter((each) => props.columns.some((column) => column.key === each.column))
  return (
    <chakra.tr
      h="row"
      aria-selected={chosen}
      data-line={line.name}
      onClick={() => props.onChoose(line.id, null)}
    >
      <Cell chosen={chosen || marked} first={chosen}>
        {line.severity ? <Mark severity={line.severity} /> : marked && <Tick label="marked" />}
      </Cell>
      <Cell chosen={chosen || marked} right>
        <Figure>{line.position}</Figure>
      </Cell>
      <NameCell {...cells("name")} under={props.narrow && source?.label !== line.name ? source : undefined} />
      {shown.map((station) => (
        <StationCell
          key={station.column}
          {...cells(station.column)}
          station={station}
          pencil={props.pencilColumn === station.column ? props.pencil.get(line.id) : undefined}
        />
      ))}
      <DelayCell {...cells("delay")} />
      {!props.narrow && (
        <Cell chosen={chosen || marked} right>
          <Figure>
            {line.level_dbfs === null ? "" : `${line.level_assumed ? "~" : ""}${line.level_dbfs?.toFixed(1)}`}
          </Figure>
        </Cell>
      )}
      <Cell chosen={chosen || marked}>
        <chakra.span color={line.headline === "arrives" ? "ink" : "wax"} title={line.findings.join("\n")}>
          {line.headline}
          {line.more_findings > 0 && ` +${line.more_findings}`} <ProofMark proof={props.proof} />
        </chakra.span>
      </Cell>
    </chakra.tr>
  )
}

/** Many lines that step alike, as one row: first and last number of every station. */
function RunRow(props: {
  run: Run
  columns: ColumnShape[]
  chosen: boolean
  onChoose: () => void
  onOpen: () => void
}) {
  const { lines } = props.run
  const [first, last] = [lines[0], lines.at(-1)]
  if (!first || !last) return null
  const name = spanOf(first.name, last.name)
  return (
    <chakra.tr
      h="row"
      aria-selected={props.chosen}
      data-run={name}
      onClick={props.onChoose}
      onDoubleClick={props.onOpen}
    >
      <Cell chosen={props.chosen} first={props.chosen}>
        <chakra.button
          w="16px"
          h="16px"
          lineHeight="14px"
          border="1px solid"
          borderColor="edge"
          cursor="pointer"
          aria-label={`Unfold ${lines.length} lines`}
          onClick={(event) => {
            event.stopPropagation()
            props.onOpen()
          }}
        >
          +
        </chakra.button>
      </Cell>
      <Cell chosen={props.chosen} right>
        <Figure>
          {first.position}–{last.position}
        </Figure>
      </Cell>
      <Cell chosen={props.chosen}>
        <b title={name}>{name}</b>
      </Cell>
      {props.columns.slice(3).map((column) => {
        const place = first.stations.findIndex((each) => each.column === column.key)
        const [from, to] = [first.stations[place], last.stations[place]]
        if (from && to)
          return (
            <Cell key={column.key} chosen={props.chosen}>
              <Flex gap="4px">
                <Box
                  flex="1"
                  minW="0"
                  overflow="hidden"
                  textOverflow="ellipsis"
                  color={from.trouble ? "wax" : undefined}
                >
                  {from.trouble ? spanOf(from.trouble, to.trouble) : spanOf(from.label, to.label)}
                </Box>
                {!from.trouble && <Figure>{spanOf(from.number, to.number)}</Figure>}
              </Flex>
            </Cell>
          )
        if (column.key === "delay")
          return (
            <Cell key={column.key} chosen={props.chosen} right>
              <Delay line={first} />
            </Cell>
          )
        if (column.key === "level")
          return (
            <Cell key={column.key} chosen={props.chosen} right>
              <Figure>{first.level_dbfs?.toFixed(1)}</Figure>
            </Cell>
          )
        return (
          <Cell key={column.key} chosen={props.chosen}>
            <chakra.span color={first.headline === "arrives" ? "ink" : "wax"}>
              {first.severity && <Mark severity={first.severity} />} {lines.length}{" "}
              {first.headline === "arrives" ? "arrive" : first.headline}
            </chakra.span>
          </Cell>
        )
      })}
    </chakra.tr>
  )
}

/** A tick for a line that a check proved and nothing has changed since; words for one it did not, or no longer. */
function ProofMark({ proof }: { proof: "proved" | "stale" | "failed" | undefined }) {
  if (proof === "proved") return <Tick label="proved" />
  if (proof === "stale") return <chakra.span color="ink3">stale</chakra.span>
  if (proof === "failed") return <chakra.span color="wax">checked</chakra.span>
  return null
}

/** A group's roll-up: how many lines, what is wrong among them, how many are proved. Click folds it away. */
function GroupRow({ group, columns, onTurn }: { group: Group; columns: number; onTurn: () => void }) {
  const { proofs } = useRig().state.survey
  const { lines } = group
  const count = (test: (line: LineView) => boolean) => lines.filter(test).length
  const marks = (["stop", "trouble", "risk"] as const).map((severity) => ({
    severity,
    found: count((line) => line.severity === severity),
  }))
  const proved = count((line) => proofs[line.id] === "proved")
  const stale = count((line) => proofs[line.id] === "stale")
  return (
    <chakra.tr h="row" onClick={onTurn} cursor="pointer">
      <chakra.td
        colSpan={columns}
        bg="paper"
        px="6px"
        fontWeight="600"
        color="ink2"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <Flex align="center" gap="10px">
          <chakra.button
            w="16px"
            h="16px"
            lineHeight="14px"
            border="1px solid"
            borderColor="edge"
            cursor="pointer"
            aria-expanded={group.open}
            aria-label={`${group.open ? "Fold" : "Unfold"} ${group.words}`}
          >
            {group.open ? "−" : "+"}
          </chakra.button>
          <span>
            {group.words} · {lines.length} {lines.length === 1 ? "line" : "lines"}
          </span>
          <chakra.span fontWeight="400">
            {count((line) => line.headline === "arrives")} arrive
            {proved > 0 && `, ${proved} proved`}
            {stale > 0 && `, ${stale} stale`}
          </chakra.span>
          {marks
            .filter((each) => each.found > 0)
            .map((each) => (
              <Flex key={each.severity} gap="3px" align="center">
                <Mark severity={each.severity} /> <Figure>{each.found}</Figure>
              </Flex>
            ))}
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

/** The line's name; a new one goes to everything that bears the old one, where something does. */
function NameCell(props: EditableProps & { under?: Station | undefined }) {
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
  return (
    <Figure title={line.delay_assumed ? "One of the figures in this sum is from nobody" : undefined}>
      {line.delay_assumed ? "~" : ""}
      {range}
    </Figure>
  )
}

/** One station: gear and number on a rule of ink; a gap is two end ticks with its reason inside. */
function StationCell(props: EditableProps & { station: Station; pencil?: string | undefined }) {
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
        <StationEditor line={line} column={station.column} onMove={props.onMove} onLeave={props.onLeave} />
      )}
    </chakra.td>
  )
}
