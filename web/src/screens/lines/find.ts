import type { LineView, SnagView } from "../../api/client"

type Symptom = SnagView["symptoms"][number]

/** What a person may hear when something is wrong; the core's own list, or this does not compile. */
const EVERY: Record<Symptom, true> = {
  hollow: true,
  clicks: true,
  late: true,
  echo: true,
  "one side": true,
  "wrong pitch": true,
  "too quiet": true,
  distorted: true,
  nothing: true,
}
const SYMPTOMS = Object.keys(EVERY) as Symptom[]

/** The symptom somebody is typing, from three letters on. */
export function symptomOf(text: string): Symptom | null {
  const typed = text.trim().toLowerCase()
  if (typed.length < 3) return null
  return SYMPTOMS.find((each) => each.startsWith(typed)) ?? null
}

/** The snags that could be behind a symptom: those whose first symptom it is come first. */
export function suspects(snags: SnagView[], symptom: Symptom | null): SnagView[] {
  if (!symptom) return []
  return snags
    .filter((snag) => snag.symptoms.includes(symptom))
    .sort((a, b) => a.symptoms.indexOf(symptom) - b.symptoms.indexOf(symptom))
}

const trackNumbers = (line: LineView) =>
  line.stations
    .filter((each) => each.column === "track")
    .flatMap((each) => each.number.split(", "))
    .flatMap((range) => {
      const [from = NaN, to = from] = range.split("–").map(Number)
      return Array.from({ length: to - from + 1 || 0 }, (_, step) => from + step)
    })

/** Whether a line has a text in its name, state, tag or stations; t5 is track 5, #12 is line 12. */
export function fits(line: LineView, text: string): boolean {
  const typed = text.trim().toLowerCase()
  if (!typed) return true
  const track = /^t(\d+)$/.exec(typed)
  if (track) return trackNumbers(line).includes(Number(track[1]))
  const number = /^#(\d+)$/.exec(typed)
  if (number) return line.position === Number(number[1])
  return [
    line.name,
    line.headline,
    line.tag,
    String(line.position),
    ...line.stations.map((each) => `${each.label} ${each.number}`),
  ]
    .join(" ")
    .toLowerCase()
    .includes(typed)
}
