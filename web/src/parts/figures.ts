/** A figure with so many digits behind the point, and a minus that is one. */
export const signed = (value: number | null | undefined, digits: number) =>
  value === null || value === undefined ? "" : value.toFixed(digits).replace("-", "−")
