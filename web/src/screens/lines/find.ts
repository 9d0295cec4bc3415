import type { LineView, SnagView } from "../../api/client"

export type Symptom = SnagView["symptoms"][number]

/** How people say what they hear; the symptoms are the core's own list, or this does not compile. */
const SAID: Record<Symptom, string[]> = {
  hollow: ["hollow", "phas", "comb", "flang", "tunnel", "tube", "pipe", "metallic", "swoosh"],
  thin: ["thin", "tinny", "no bass", "no low", "no middle", "weak bass", "polarity", "out of phase"],
  clicks: ["click", "crack", "pop", "dropout", "drop out", "glitch", "gap", "stutter", "scratch", "crunch"],
  late: ["late", "latency", "delay", "lag", "slow", "behind", "drag", "after the beat"],
  echo: ["echo", "twice", "double", "repeat", "slap", "flam"],
  howls: ["howl", "feedback", "feeds back", "squeal", "whistl"],
  rings: ["rings", "ringing", "reson", "goes round", "boomy"],
  "one side": [
    "one side",
    "one ear",
    "left only",
    "right only",
    "only left",
    "only right",
    "half",
    "mono",
    "lopsided",
  ],
  "wrong pitch": ["pitch", "tune", "speed", "chipmunk", "too fast", "too high", "too deep", "slowed"],
  "too quiet": ["quiet", "soft", "faint", "too low", "low level", "weak", "hiss", "noisy", "not loud"],
  distorted: ["distort", "clip", "overload", "harsh", "fuzz", "too loud", "hot", "rough", "broken up"],
  nothing: [
    "nothing",
    "no sound",
    "no signal",
    "no audio",
    "silent",
    "silence",
    "dead",
    "mute",
    "not record",
    "not hear",
    "cannot hear",
    "can't hear",
    "hear no",
    "missing",
    "empty",
  ],
}
export const SYMPTOMS = Object.keys(SAID) as Symptom[]

const plain = (text: string) => text.trim().toLowerCase().replace(/\s+/g, " ")

/** The symptom that a word or a sentence tells of, from three letters on. */
export function symptomOf(text: string): Symptom | null {
  const typed = plain(text)
  if (typed.length < 3) return null
  const begun = SYMPTOMS.find((each) => each.startsWith(typed))
  if (begun) return begun
  // What is said first in a sentence is what it is about; of two ways to say one place the longer one.
  let best: { symptom: Symptom; at: number; length: number } | null = null
  for (const symptom of SYMPTOMS)
    for (const stem of SAID[symptom]) {
      const at = ` ${typed}`.indexOf(` ${stem}`)
      const longer = best === null || at < best.at || (at === best.at && stem.length > best.length)
      if (at >= 0 && longer) best = { symptom, at, length: stem.length }
    }
  if (best) return (best as { symptom: Symptom }).symptom
  return null
}

/** Words that are about what is heard, without saying what: then every symptom is offered. */
export function soundsWrong(text: string): boolean {
  return /\b(hear|hears|heard|sound|sounds|noise|wrong|strange|odd|bad|hum|buzz)\b/.test(plain(text))
}

/** Whether a text is how the name of a line begins: then it is no sentence about what is heard. */
export function beginsAName(lines: LineView[], text: string): boolean {
  const typed = plain(text)
  return typed.includes(" ") && lines.some((line) => line.name.toLowerCase().startsWith(typed))
}

const NUMBER_WORDS = [
  "one",
  "two",
  "three",
  "four",
  "five",
  "six",
  "seven",
  "eight",
  "nine",
  "ten",
  "eleven",
  "twelve",
]

/** The number that a sentence names: "there is no sound on five" is 5. */
export function numberIn(text: string): number | null {
  const digits = /(?:^|\s|t|#)(\d{1,3})(?:\s|$|[.,!?])/.exec(plain(text))
  if (digits) return Number(digits[1])
  const words = plain(text).split(/[^a-z]+/)
  // "one side" and "one ear" are no numbers.
  const at = words.findIndex((word, place) => {
    const side = ["side", "ear", "channel"].includes(words[place + 1] ?? "")
    return NUMBER_WORDS.includes(word) && !(word === "one" && side)
  })
  return at < 0 ? null : NUMBER_WORDS.indexOf(words[at] ?? "") + 1
}

/** The snags that could be behind a symptom: those whose first symptom it is come first; those of a line named too. */
export function suspects(snags: SnagView[], symptom: Symptom | null, lines: ReadonlySet<string>): SnagView[] {
  if (!symptom) return []
  const named = (snag: SnagView) => (snag.lines.some((line) => lines.has(line)) ? 0 : 1)
  return snags
    .filter((snag) => snag.symptoms.includes(symptom))
    .sort((a, b) => named(a) - named(b) || a.symptoms.indexOf(symptom) - b.symptoms.indexOf(symptom))
}

const numbersIn = (text: string) =>
  text.split(", ").flatMap((range) => {
    const [from = NaN, to = from] = range.split("–").map(Number)
    return Array.from({ length: to - from + 1 || 0 }, (_, step) => from + step)
  })

const trackNumbers = (line: LineView) =>
  line.stations.filter((each) => each.column === "track").flatMap((each) => numbersIn(each.number))

/** The lines that a sentence names by a track's or a line's number, or by name. */
export function namedLines(lines: LineView[], text: string): Set<string> {
  const typed = plain(text)
  const number = numberIn(typed)
  const found = lines.filter(
    (line) =>
      (number !== null && trackNumbers(line).includes(number)) ||
      (line.name.length > 2 && typed.includes(line.name.toLowerCase())),
  )
  return new Set(found.map((line) => line.id))
}

const BANKS: Record<string, LineView["stations"][number]["column"][]> = {
  input: ["box_in", "program_in"],
  in: ["box_in", "program_in"],
  jack: ["box_in", "out"],
  channel: ["computer_in"],
  track: ["track"],
  t: ["track"],
  output: ["out"],
  out: ["out"],
}

/** "input 6", "hall 17", "box 2, jack 4": the stations of a line that stand there; null if the text is no port. */
function atPort(line: LineView, typed: string): boolean | null {
  const port = /^(.*?)[\s,]*\b(input|in|jack|channel|track|t|output|out)?\s*(\d{1,3})$/.exec(typed)
  if (!port) return null
  const [, gear = "", bank, digits] = port
  if (!gear && !bank) return null
  const columns = bank ? BANKS[bank] : undefined
  return line.stations.some(
    (each) =>
      (!columns || columns.includes(each.column)) &&
      (!gear || each.label.toLowerCase().includes(gear.trim())) &&
      numbersIn(each.number).includes(Number(digits)),
  )
}

/** Whether a line has a text in its name, state, tag or stations, or stands at a port; #12 is line 12. */
export function fits(line: LineView, text: string): boolean {
  const typed = plain(text)
  if (!typed) return true
  const number = /^#(\d+)$/.exec(typed)
  if (number) return line.position === Number(number[1])
  const there = [
    line.name,
    line.headline,
    line.tag,
    String(line.position),
    ...line.stations.map((each) => `${each.label} ${each.number}`),
  ]
    .join(" ")
    .toLowerCase()
  return atPort(line, typed) === true || (!/^t\d+$/.test(typed) && there.includes(typed))
}
