import type { Station } from "../../api/client"

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

export const ROW_PX = 28

export interface ColumnShape {
  key: string
  title: string
  width: number
  right?: boolean
}

/** The columns; where the room is short the source stands in the line's cell, and the level on the tape measure. */
export function columnsFor(narrow: boolean): ColumnShape[] {
  const all: ColumnShape[] = [
    { key: "mark", title: "", width: 28 },
    { key: "number", title: "#", width: 36, right: true },
    { key: "line", title: "Line", width: narrow ? 150 : 134 },
    { key: "source", title: "Source", width: 122 },
    { key: "box_in", title: "Box in", width: 122 },
    { key: "computer_in", title: "Computer in", width: 122 },
    { key: "program_in", title: "Program in", width: 122 },
    { key: "track", title: "Track", width: 122 },
    { key: "out", title: "Out", width: narrow ? 122 : 126 },
    { key: "delay", title: "Delay", width: 114, right: true },
    { key: "level", title: "dBFS", width: 74, right: true },
    { key: "state", title: "State", width: 94 },
  ]
  if (!narrow) return all
  const slim = { mark: 34, number: 34, line: 130, delay: 112, state: 92 } as Record<string, number>
  return all
    .filter((column) => !["source", "level"].includes(column.key))
    .map((column) => ({ ...column, width: slim[column.key] ?? 100 }))
}

/** Numbers typed as a range: 1-4, or 1-15/2 for every second one. */
export interface Range {
  start: number
  end: number
  step: number
}

export function rangeOf(text: string): Range | null {
  const found = /(\d+)[-–](\d+)(?:\/(\d+))?\s*$/.exec(text)
  if (!found) return null
  const range = { start: Number(found[1]), end: Number(found[2]), step: Number(found[3] ?? 1) }
  return range.end > range.start && range.step > 0 ? range : null
}
