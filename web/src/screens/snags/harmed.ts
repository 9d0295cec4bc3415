import type { LineView, SnagView } from "../../api/client"

/** The lines of a snag that are not as they are wanted; one that arrives only shares its place with them. */
export function harmed(snag: SnagView, lines: LineView[]): string[] {
  return snag.lines.filter((id) => lines.some((line) => line.id === id && line.headline !== "arrives"))
}

export const sayLines = (count: number) => `${count} ${count === 1 ? "line" : "lines"}`
