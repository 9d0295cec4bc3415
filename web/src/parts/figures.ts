/** A figure with so many digits behind the point, and a minus that is one. */
export const signed = (value: number | null | undefined, digits: number) =>
  value === null || value === undefined ? "" : value.toFixed(digits).replace("-", "−")

/** From one figure to another, or the one figure that both are. */
export function fromTo(from: number, to: number, digits?: number): string {
  const said = (value: number) =>
    (digits === undefined ? String(value) : value.toFixed(digits))
      .replace(/^-(0(\.0*)?)$/, "$1")
      .replace("-", "−")
  return said(from) === said(to) ? said(from) : `${said(from)} to ${said(to)}`
}

/** The number that a field holds, typed or as it is shown: "−3", "+4", "1,5"; null if it is none. */
export function numberOf(text: string): number | null {
  const typed = text.trim().replace("−", "-").replace(",", ".")
  return /^[+-]?(\d+(\.\d*)?|\.\d+)$/.test(typed) ? Number(typed) : null
}

/**
 * Where somebody wants a sound between left and right, from -1 to 1: "left", "30 R", "L30", "−30", "centre"; null if a
 * text says nothing of the kind.
 */
export function panOf(text: string): number | null {
  const typed = text.trim().toLowerCase().replace("%", "").trim()
  if (/^(c|cent(re|er)|middle|mid)$/.test(typed)) return 0
  const side = /^(?:hard )?(l|left|r|right)$/.exec(typed)
  if (side) return side[1]?.startsWith("l") ? -1 : 1
  const so = /^(\d+(?:[.,]\d+)?)\s*(l|left|r|right)$/.exec(typed)
  const how = /^(l|left|r|right)\s*(\d+(?:[.,]\d+)?)$/.exec(typed)
  const [percent, to] = so ? [numberOf(so[1] ?? ""), so[2]] : how ? [numberOf(how[2] ?? ""), how[1]] : []
  if (percent !== null && percent !== undefined) return ((to?.startsWith("l") ? -1 : 1) * percent) / 100
  const plain = numberOf(typed)
  return plain === null ? null : plain / 100
}
