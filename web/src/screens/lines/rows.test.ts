import fc from "fast-check"
import { describe, expect, it } from "vitest"

import type { Gear, LineView } from "../../api/client"
import { columnsFor, rangeOf } from "./columns"
import { GROUPINGS, rowsOf, spanOf, type RowItem } from "./rows"

const line = (number: number, changes: Partial<LineView> = {}) =>
  ({
    id: `l${number}`,
    position: number,
    name: `Mic ${number}`,
    purpose: "record",
    headline: "arrives",
    more_findings: 0,
    latest_ms: 6.6,
    level_dbfs: -18,
    tag: "",
    from_ports: [[`s${number}`, "out", 1]],
    stations: [
      { column: "box_in", state: "on", label: "Corvane 8", number: String(number), copies: 1, trouble: "" },
      {
        column: "track",
        state: "on",
        label: `Mic ${number}`,
        number: String(number),
        copies: 1,
        trouble: "",
      },
    ],
    ...changes,
  }) as unknown as LineView

const gear = [{ id: "s1", kind: "source", name: "Alma" }] as unknown as Gear[]
const none = new Set<string>()
const many = (count: number) => Array.from({ length: count }, (_, place) => line(place + 1))
const inside = (rows: RowItem[]) =>
  rows.flatMap((row) => (row.kind === "line" ? [row.line] : row.kind === "run" ? row.lines : []))

describe("rows of the table", () => {
  it("folds lines whose numbers step alike, from three on", () => {
    expect(rowsOf(many(2), gear, "purpose", true, none, none).map((row) => row.kind)).toEqual([
      "group",
      "line",
      "line",
    ])
    expect(rowsOf(many(8), gear, "purpose", true, none, none).map((row) => row.kind)).toEqual([
      "group",
      "run",
    ])
  })

  it("does not fold what differs: a state, a delay, a number that stands out of the row", () => {
    for (const odd of [
      line(3, { headline: "silent" }),
      line(3, { latest_ms: 7 }),
      line(3, { name: "Mic 4" }),
    ]) {
      const lines = [line(1), line(2), odd]
      expect(rowsOf(lines, gear, "purpose", true, none, none).some((row) => row.kind === "run")).toBe(false)
    }
  })

  it("opens a run by its first line, and closes a group with all its lines", () => {
    const opened = rowsOf(many(5), gear, "purpose", true, new Set(["l1"]), none)
    expect(opened.filter((row) => row.kind === "line")).toHaveLength(5)
    const closed = rowsOf(many(5), gear, "purpose", true, none, new Set(["purpose/Record"]))
    expect(closed).toHaveLength(1)
    expect(closed[0]).toMatchObject({ kind: "group", open: false, words: "Record" })
  })

  it("shows every line once, in its order, however it is grouped and folded", () => {
    const any = fc.array(
      fc.record({
        purpose: fc.constantFrom("record" as const, "listen" as const),
        tag: fc.constantFrom("", "Drums"),
        headline: fc.constantFrom("arrives" as const, "silent" as const),
      }),
      { maxLength: 30 },
    )
    fc.assert(
      fc.property(any, fc.constantFrom(...GROUPINGS), fc.boolean(), (drawn, by, folded) => {
        const lines = drawn.map((changes, place) => line(place + 1, changes))
        const rows = rowsOf(lines, gear, by, folded, none, none)
        expect(
          inside(rows)
            .map((each) => each.id)
            .sort(),
        ).toEqual(lines.map((each) => each.id).sort())
        const groups = rows.filter((row) => row.kind === "group")
        expect(groups.flatMap((group) => group.lines)).toHaveLength(lines.length)
        for (const group of groups) {
          const places = group.lines.map((each) => each.position)
          expect(places).toEqual([...places].sort((one, other) => one - other))
        }
      }),
    )
  })

  it("groups by the box, by the source where none is plugged, by the tag", () => {
    const unplugged = line(1, { stations: [] })
    expect(rowsOf([unplugged], gear, "gear", false, none, none)[0]).toMatchObject({ words: "Alma" })
    expect(rowsOf([line(1)], gear, "gear", false, none, none)[0]).toMatchObject({ words: "Corvane 8" })
    expect(rowsOf([line(1)], gear, "tag", false, none, none)[0]).toMatchObject({ words: "No tag" })
  })
})

describe("numbers over a run", () => {
  it.each([
    ["Mic 1", "Mic 8", "Mic 1–8"],
    ["Hall", "Hall", "Hall"],
    ["1–2", "15–16", "1–16"],
    ["Box 2 in 1", "Box 2 in 8", "Box 2 in 1–8"],
  ])("%s … %s: %s", (first, last, span) => {
    expect(spanOf(first, last)).toBe(span)
  })
})

describe("ranges that are typed", () => {
  it.each([
    ["mic 1-4", { start: 1, end: 4, step: 1 }],
    ["1–15/2", { start: 1, end: 15, step: 2 }],
    ["4-1", null],
    ["1-1", null],
    ["1-4/0", null],
    ["mic", null],
  ])("%s", (text, range) => {
    expect(rangeOf(text)).toEqual(range)
  })

  it("reads back any range it could have been given", () => {
    fc.assert(
      fc.property(
        fc.nat(500),
        fc.integer({ min: 1, max: 500 }),
        fc.integer({ min: 1, max: 9 }),
        (start, more, step) => {
          expect(rangeOf(`hall ${start}-${start + more}/${step}`)).toEqual({ start, end: start + more, step })
        },
      ),
    )
  })

  it("keeps every column but source and level in a narrow window, and never a wider one", () => {
    const [wide, narrow] = [columnsFor(false), columnsFor(true)]
    expect(
      wide.filter((each) => !narrow.some((other) => other.key === each.key)).map((each) => each.key),
    ).toEqual(["source", "level"])
    const total = (columns: typeof wide) => columns.reduce((sum, each) => sum + each.width, 0)
    expect(total(narrow)).toBeLessThan(total(wide))
  })
})
