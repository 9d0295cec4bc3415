import type { LineView, SnagView } from "../../api/client"

export type Symptom = SnagView["symptoms"][number]

/** How people say what they hear; the symptoms are the core's own list, or this does not compile. */
const SAID: Record<Symptom, string[]> = {
  hollow: ["hollow", "phas", "comb", "flang", "tunnel", "tube", "pipe", "metallic", "swoosh"],
  thin: ["thin", "tinny", "no bass", "no low", "no middle", "weak bass", "polarity", "out of phase"],
  clicks: ["click", "crack", "pop", "dropout", "drop out", "glitch", "gap", "stutter", "scratch", "crunch"],
  late: ["late", "latency", "delay", "lag", "slow", "behind", "drag", "after the beat"],
  echo: [
    ...["echo", "twice", "double", "repeat", "slap", "flam", "own voice", "hears itself", "hear itself"],
    ...[
      "hears herself",
      "hears himself",
      "hear herself",
      "hear himself",
      "hear themselves",
      "hears themselves",
    ],
    ...["hears her own", "hears his own", "hear their own", "hear my own"],
  ],
  howls: ["howl", "feedback", "feeds back", "squeal", "whistl"],
  rings: ["rings", "ringing", "reson", "goes round", "boomy"],
  "one side": [
    ...["one side", "one ear", "left only", "right only", "only left", "only right", "only on the left"],
    ...["only on the right", "only the left", "only the right", "on the left only", "on the right only"],
    ...[
      "only in the left",
      "only in the right",
      "no left",
      "no right",
      "left is missing",
      "right is missing",
    ],
    ...["half", "mono", "lopsided"],
  ],
  misplaced: [
    ...[
      "wrong place",
      "wrong track",
      "wrong channel",
      "wrong input",
      "wrong strip",
      "wrong output",
      "wrong mic",
    ],
    ...["wrong box", "swapped", "mixed up", "exchanged", "crossed", "shifted", "somebody else's track"],
    ...["another track", "other track", "the wrong", "on the other"],
  ],
  others: [
    ...["others", "notification", "beep", "alert", "bleed", "somebody else", "someone else", "crosstalk"],
    ...["in the recording too", "is on it too", "not alone", "unwanted", "should not be", "shouldn't be"],
    ...["music too", "other voice", "another voice", "computer's own", "system sound"],
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
    // A word of its own: who hears notifications hears something.
    "hear no ",
    "missing",
    "empty",
  ],
}
export const SYMPTOMS = Object.keys(SAID) as Symptom[]

const plain = (text: string) => text.trim().toLowerCase().replace(/\s+/g, " ")

/** A text without its punctuation: "Alma, heard" is said "alma heard". */
const said = (text: string) => plain(text.replace(/[.,!?;:“”"]/g, " "))

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

/** Words that say nothing by themselves of what is heard, or where. */
const LITTLE = new Set(
  (
    "a an the there is are was it its it's on in of at from to for my our his her their your i we you he she they " +
    "me us them him no not nothing only much too very all everything every some sound sounds sounding hear hears " +
    "heard hearing comes come coming goes going track tracks channel input output line number microphone mic voice " +
    "ear ears side when while with and or but so that this what have has had do does don't can can't cannot will be " +
    "been like little bit again then out up down off over through into strip box jack recorded recording left right " +
    "headphones phones wrong strange odd bad noise gets get seems something anything somewhere always sometimes now"
  ).split(" "),
)

/** What of a sentence is neither a symptom nor a place that there is, nor one of the small words. */
export function notUnderstood(lines: LineView[], text: string): string {
  const typed = plain(text)
  if (!typed.includes(" ") || SYMPTOMS.some((each) => each.startsWith(typed))) return ""
  let left = ` ${said(text)} `
  const stems = Object.values(SAID).flat()
  for (const stem of [...stems, ...SYMPTOMS].sort((a, b) => b.length - a.length))
    left = left.replace(new RegExp(`(?<= )${escaped(stem)}\\S*`, "g"), " ")
  for (const name of [...new Set(lines.flatMap(namesOf))].sort((a, b) => b.length - a.length))
    left = left.replace(new RegExp(`(?<= )${escaped(name)}(?='s\\b| )`, "g"), " ")
  const number = numberIn(typed)
  // A number that no track has is told as that, where nothing else says which line is meant.
  const known = number !== null && (numbered(lines, number).length > 0 || namedLines(lines, text).size === 0)
  return left
    .split(/\s+/)
    .filter((word) => word !== "" && word !== "'s" && !LITTLE.has(word) && !(known && isNumber(word, number)))
    .join(" ")
}

const escaped = (text: string) => text.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")

const isNumber = (word: string, number: number) => numberIn(`on ${word}`) === number

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

const ORDINALS = [
  ...["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"],
  ...["eleventh", "twelfth"],
]

/** What stands before "one" where it is a number: "on one", "track one"; not in "this one" and "no one". */
const BEFORE_ONE = [
  "on",
  "track",
  "channel",
  "input",
  "number",
  "mic",
  "microphone",
  "line",
  "strip",
  "output",
  "",
]

/** The number that a sentence names: "there is no sound on five" is 5. */
export function numberIn(text: string): number | null {
  const digits = /(?:^|\s|t|#)(\d{1,3})(?:st|nd|rd|th)?(?:\s|$|[.,!?])/.exec(plain(text))
  if (digits) return Number(digits[1])
  const words = plain(text).split(/[^a-z]+/)
  // "one side" and "one ear" are no numbers.
  const at = words.findIndex((word, place) => {
    if (word !== "one") return NUMBER_WORDS.includes(word) || ORDINALS.includes(word)
    const side = ["side", "ear", "channel"].includes(words[place + 1] ?? "")
    return !side && BEFORE_ONE.includes(words[place - 1] ?? "")
  })
  const word = words[at] ?? ""
  return at < 0 ? null : Math.max(NUMBER_WORDS.indexOf(word), ORDINALS.indexOf(word)) + 1
}

/** What a sentence is about: lines by a number or a name, and the number that nothing has. */
export interface About {
  lines: ReadonlySet<string>
  /** The places of the rig that are none of theirs: what concerns one of these alone is not about them. */
  elsewhere: ReadonlySet<string>
  missing: number | null
}

export const ABOUT_ALL: About = { lines: new Set(), elsewhere: new Set(), missing: null }

/** What a sentence names; every source, target and track of other lines is elsewhere. */
export function aboutOf(lines: LineView[], text: string): About {
  const named = namedLines(lines, text)
  const number = numberIn(text)
  const ends = (some: LineView[]) =>
    some.flatMap((line) => [...line.from_ports, ...line.to_ports].map((port) => port[0]))
  const own = new Set(ends(lines.filter((line) => named.has(line.id))))
  return {
    lines: named,
    elsewhere: new Set(named.size > 0 ? ends(lines).filter((id) => !own.has(id)) : []),
    missing: number !== null && numbered(lines, number).length === 0 ? number : null,
  }
}

/**
 * The snags that could be behind a symptom, those whose first symptom it is first. Where a sentence names a place, only
 * what concerns that: its lines, or gear that all of them share.
 */
export function suspects(snags: SnagView[], symptom: Symptom | null, about: About): SnagView[] {
  if (!symptom || (about.missing !== null && about.lines.size === 0)) return []
  const named = (snag: SnagView) => snag.lines.some((line) => about.lines.has(line))
  const shared = (snag: SnagView) =>
    snag.lines.length === 0 && !snag.items.some((item) => about.elsewhere.has(item))
  return snags
    .filter((snag) => snag.symptoms.includes(symptom))
    .filter((snag) => about.lines.size === 0 || named(snag) || shared(snag))
    .sort(
      (a, b) =>
        Number(named(b)) - Number(named(a)) || a.symptoms.indexOf(symptom) - b.symptoms.indexOf(symptom),
    )
}

/** The lines of a snag that a sentence names and the snag's title does not: it is about one of several like it. */
export function alsoOf(snag: SnagView, lines: LineView[], about: About): string[] {
  const meant = lines.filter((line) => about.lines.has(line.id) && snag.lines.includes(line.id))
  const title = ` ${said(snag.title)} `
  const isNamed = meant.some((line) => namesOf(line).some((name) => title.includes(` ${name} `)))
  return isNamed ? [] : meant.map((line) => line.name)
}

const numbersIn = (text: string) =>
  text.split(", ").flatMap((range) => {
    const [from = NaN, to = from] = range.split("–").map(Number)
    return Array.from({ length: to - from + 1 || 0 }, (_, step) => from + step)
  })

const trackNumbers = (line: LineView) =>
  line.stations.filter((each) => each.column === "track").flatMap((each) => numbersIn(each.number))

const numbered = (lines: LineView[], number: number) =>
  lines.filter((line) => trackNumbers(line).includes(number))

/** What a line may be called in a sentence: by its own name, and by what it begins and ends at. */
function namesOf(line: LineView): string[] {
  const ends = line.stations.filter((each) => ["source", "track", "out"].includes(each.column))
  const names = [line.name, line.name.replace(/, (heard|for .*)$/i, ""), ...ends.map((each) => each.label)]
  return names.map(said).filter((name) => name.length > 2 && !LITTLE.has(name))
}

/** The lines that a sentence names by a track's or a line's number, or by name. */
export function namedLines(lines: LineView[], text: string): Set<string> {
  const typed = ` ${said(text)} `
  const number = numberIn(text)
  const says = (name: string) => typed.includes(` ${name} `) || typed.includes(` ${name}'s `)
  const called = lines.filter((line) => namesOf(line).some(says))
  const found = [...called, ...(number === null ? [] : numbered(lines, number))]
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
