import { chakra } from "@chakra-ui/react"
import { useVirtualizer } from "@tanstack/react-virtual"
import { useEffect, useMemo } from "react"

import { useRig } from "../../api/rig"
import { columnsFor, ROW_PX, type CellName } from "./columns"
import { GroupRow, RunRow } from "./FoldedRows"
import type { Editing } from "./LineCells"
import { LineRow } from "./LineRow"
import type { RowItem } from "./rows"

/** Rows beyond the visible ones that are kept, so that a page of scrolling finds them there. */
const OVERSCAN = 12
/** The titles stay above the rows. */
const HEAD_PX = 30

interface Props {
  rows: RowItem[]
  scroller: HTMLDivElement | null
  narrow: boolean
  chosen: string | null
  marked: ReadonlySet<string>
  pencil: ReadonlyMap<string, string>
  pencilColumn: CellName | null
  /** The open cell of the chosen line. */
  editing: Editing | undefined
  /** Stays the same function from one drawing to the next, so that rows can stay as they are. */
  onChoose: (id: string, cell: CellName | null) => void
  onGroup: (key: string) => void
  onRun: (id: string) => void
}

const holds = (row: RowItem, id: string | null): boolean =>
  row.kind === "line"
    ? row.line.id === id
    : row.kind === "run"
      ? row.lines.some((line) => line.id === id)
      : false

/** Lines in rows, stations aligned in columns, so that a repeated or skipped number is seen. */
export function LinesTable(props: Props) {
  const { rows, scroller, narrow, chosen } = props
  const { proofs } = useRig().state.survey
  const columns = useMemo(() => columnsFor(narrow), [narrow])
  // What is scrolled is not React's: a virtual list reads it on every frame.
  // eslint-disable-next-line react-hooks/incompatible-library
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller,
    estimateSize: () => ROW_PX,
    overscan: OVERSCAN,
    scrollPaddingStart: HEAD_PX,
    getItemKey: (index) => rows[index]?.key ?? index,
  })
  const at = rows.findIndex((row) => holds(row, chosen))
  useEffect(() => {
    const row = virtual.measurementsCache[at]
    const top = virtual.scrollOffset ?? 0
    const bottom = top + (virtual.scrollRect?.height ?? 0)
    // To scroll to where it stands lays the whole page out once more, at every key.
    if (row && (row.start <= top + HEAD_PX || row.end >= bottom)) virtual.scrollToIndex(at, { align: "auto" })
  }, [at, virtual])
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
              right={column.key === "state" ? "0" : undefined}
              zIndex={column.key === "state" ? "3" : "2"}
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
              line={row.line}
              columns={columns}
              narrow={narrow}
              proof={proofs[row.line.id]}
              chosen={row.line.id === chosen}
              marked={props.marked.has(row.line.id)}
              pencil={props.pencil.get(row.line.id)}
              pencilColumn={props.pencilColumn}
              editing={row.line.id === chosen ? props.editing : undefined}
              onChoose={props.onChoose}
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
