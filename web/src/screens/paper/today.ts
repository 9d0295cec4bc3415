/** The day where the browser is, as ISO 8601 writes it. */
export const today = () => {
  const now = new Date()
  const two = (number: number) => String(number).padStart(2, "0")
  return `${now.getFullYear()}-${two(now.getMonth() + 1)}-${two(now.getDate())}`
}
