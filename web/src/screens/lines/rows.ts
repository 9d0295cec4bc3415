import type { Gear, LineView } from "../../api/client"

export type GroupBy = "purpose" | "gear" | "tag" | "colour"
export const GROUPINGS: GroupBy[] = ["purpose", "gear", "tag", "colour"]

export interface Group {
  kind: "group"
  key: string
  words: string
  lines: LineView[]
  open: boolean
}
export interface Single {
  kind: "line"
  key: string
  line: LineView
}
export interface Run {
  kind: "run"
  key: string
  lines: LineView[]
}
export type RowItem = Group | Single | Run

/** So many lines in a row fold into one, when every number in them steps by the same. */
const RUN_AT_LEAST = 3

const PURPOSE_WORDS = { record: "Record", listen: "Listen" } as const

/** A text's numbers, and the text without them. */
function parts(text: string): [string, number[]] {
  const numbers: number[] = []
  const bare = text.replace(/\d+/g, (digits) => {
    numbers.push(Number(digits))
    return "#"
  })
  return [bare, numbers]
}

function said(line: LineView): string {
  const stations = line.stations.map(
    (each) => `${each.state}|${each.label}|${each.number}|${each.copies}|${each.trouble}`,
  )
  const level = line.level_dbfs?.toFixed(1) ?? ""
  return [line.name, line.headline, line.more_findings, line.latest_ms ?? "", level, ...stations].join("\n")
}

const STEP_AT_MOST = 8

/**
 * By how much one line steps on from another: the same words, and every number in them the same, or as much
 * on as the name's own number (twice that where a line is two wide). Nought when it does not.
 */
function stepOf(before: LineView, after: LineView): number {
  const [words, numbers] = parts(said(before))
  const [nextWords, nextNumbers] = parts(said(after))
  if (words !== nextWords || numbers.length !== nextNumbers.length) return 0
  const own = parts(before.name)[1].at(-1)
  const nextOwn = parts(after.name)[1].at(-1)
  if (own === undefined || nextOwn === undefined) return 0
  const by = nextOwn - own
  if (by < 1 || by > STEP_AT_MOST) return 0
  const wide = by * Math.max(1, before.from_ports.length)
  const all = numbers.every((number, place) => {
    const step = (nextNumbers[place] ?? 0) - number
    return step === 0 || step === by || step === wide
  })
  return all ? by : 0
}

/** The rows of the table: groups with their lines, runs folded where they are asked for. */
export function rowsOf(
  lines: LineView[],
  gear: Gear[],
  by: GroupBy,
  folded: boolean,
  opened: ReadonlySet<string>,
  closed: ReadonlySet<string>,
): RowItem[] {
  const groups = new Map<string, LineView[]>()
  const order = by === "purpose" ? ["Record", "Listen"] : []
  for (const words of order) groups.set(words, [])
  for (const line of lines) {
    const words = groupOf(line, by, gear)
    groups.set(words, [...(groups.get(words) ?? []), line])
  }
  const rows: RowItem[] = []
  for (const [words, members] of groups) {
    if (members.length === 0) continue
    const key = `${by}/${words}`
    rows.push({ kind: "group", key, words, lines: members, open: !closed.has(key) })
    if (!closed.has(key)) rows.push(...foldedRows(members, folded, opened))
  }
  return rows
}

function groupOf(line: LineView, by: GroupBy, gear: Gear[]): string {
  switch (by) {
    case "purpose":
      return PURPOSE_WORDS[line.purpose]
    case "tag":
      return line.tag || "No tag"
    case "colour":
      return line.colour === "none" ? "No colour" : line.colour
    case "gear": {
      const box = line.stations.find((each) => each.column === "box_in" && each.label)
      const owner = gear.find((each) => each.id === line.from_ports[0]?.[0])
      return box?.label ?? owner?.name ?? "Not plugged in"
    }
  }
}

function foldedRows(lines: LineView[], folded: boolean, opened: ReadonlySet<string>): RowItem[] {
  const rows: RowItem[] = []
  for (let at = 0; at < lines.length;) {
    const first = lines[at]
    if (!first) break
    let end = at + 1
    if (folded) {
      const second = lines[end]
      const by = second ? stepOf(first, second) : 0
      for (let last = lines[end - 1], next = lines[end]; by && last && next && stepOf(last, next) === by;) {
        end++
        last = next
        next = lines[end]
      }
    }
    if (end - at >= RUN_AT_LEAST && !opened.has(first.id)) {
      rows.push({ kind: "run", key: `run/${first.id}`, lines: lines.slice(at, end) })
    } else {
      for (const line of lines.slice(at, end)) rows.push({ kind: "line", key: line.id, line })
    }
    at = end
  }
  return rows
}

/** A column's text over a run: the same where it stays, first and last number where it steps. */
export function spanOf(first: string, last: string): string {
  if (first === last) return first
  const [bare, numbers] = parts(first)
  const [, lastNumbers] = parts(last)
  // A range such as 3–4 … 17–18 is one range: 3–18.
  if (bare === "#–#") return `${numbers[0]}–${lastNumbers[1]}`
  let place = -1
  return bare.replace(/#/g, () => {
    place++
    const [from, to] = [numbers[place], lastNumbers[place]]
    return from === to ? String(from) : `${from}–${to}`
  })
}
