import { chakra } from "@chakra-ui/react"
import { useVirtualizer } from "@tanstack/react-virtual"
import { useEffect } from "react"

import type { LineView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Figure } from "../../parts/controls"
import { Mark, Tick } from "../../parts/Mark"
import { columnsFor, ROW_PX, type CellName, type ColumnShape, type Range } from "./columns"
import { GroupRow, RunRow } from "./FoldedRows"
import { Cell, DelayCell, NameCell, ProofMark, StationCell } from "./LineCells"
import type { RowItem } from "./rows"

/** Rows beyond the visible ones that are kept, so that a page of scrolling finds them there. */
const OVERSCAN = 12

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
  onRange: (id: string, column: CellName, range: Range) => void
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
    onRange: (range: Range) => props.onRange(line.id, name, range),
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
