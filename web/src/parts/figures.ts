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
