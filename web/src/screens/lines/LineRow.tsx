import { memo } from "react"

import type { LineView } from "../../api/client"
import { Mark, Tick } from "../../parts/Mark"
import type { CellName, ColumnShape } from "./columns"
import { Cell, classes, DelayCell, NameCell, ProofMark, StationCell, type Editing } from "./LineCells"
import { signed } from "../../parts/figures"

interface Props {
  line: LineView
  columns: ColumnShape[]
  narrow: boolean
  proof: "proved" | "stale" | "failed" | undefined
  chosen: boolean
  marked: boolean
  pencil: string | undefined
  pencilColumn: CellName | null
  editing: Editing | undefined
  onChoose: (id: string, cell: CellName | null) => void
}

/** One line: drawn again only when something of it has changed, so that hundreds scroll. */
export const LineRow = memo(function LineRow(props: Props) {
  const { line, chosen, marked, editing } = props
  const cells = (name: CellName) => ({
    line,
    editing: editing?.cell === name ? editing : undefined,
    onOpen: () => props.onChoose(line.id, name),
  })
  const source = line.stations.find((each) => each.column === "source")
  const shown = line.stations.filter((each) => props.columns.some((column) => column.key === each.column))
  return (
    <tr
      className={classes((chosen || marked) && "chosen")}
      aria-selected={chosen}
      data-line={line.name}
      onClick={() => props.onChoose(line.id, null)}
    >
      <Cell first>
        {line.severity ? <Mark severity={line.severity} /> : marked && <Tick label="marked" />}
      </Cell>
      <Cell right>
        <span className="figure">{line.position}</span>
      </Cell>
      <NameCell {...cells("name")} under={props.narrow && source?.label !== line.name ? source : undefined} />
      {shown.map((station) => (
        <StationCell
          key={station.column}
          {...cells(station.column)}
          station={station}
          pencil={props.pencilColumn === station.column ? props.pencil : undefined}
        />
      ))}
      <DelayCell {...cells("delay")} />
      {!props.narrow && (
        <Cell right>
          <span className="figure">
            {line.level_dbfs === null ? "" : `${line.level_assumed ? "~ " : ""}${signed(line.level_dbfs, 1)}`}
          </span>
        </Cell>
      )}
      <Cell last>
        <span
          className={classes(line.headline !== "arrives" && "in-wax")}
          title={line.findings.map((each) => `${each.kind}: ${each.words}`).join("\n")}
        >
          {line.headline}
          {line.more_findings > 0 && ` +${line.more_findings}`}{" "}
          <ProofMark proof={props.proof} falls={line.delay_open} />
        </span>
      </Cell>
    </tr>
  )
})
