import fc from "fast-check"
import { describe, expect, it } from "vitest"

import type { LineView, SnagView } from "../../api/client"
import {
  ABOUT_ALL,
  SYMPTOMS,
  aboutOf,
  alsoOf,
  beginsAName,
  fits,
  namedLines,
  notUnderstood,
  numberIn,
  soundsWrong,
  suspects,
  symptomOf,
} from "./find"

type Station = LineView["stations"][number]

const station = (column: Station["column"], label: string, number: string): Station => ({
  column,
  state: "on",
  label,
  number,
  copies: 1,
  trouble: "",
})

/** As much of a line as is looked at. */
const line = (position: number, name: string, ...stations: Station[]) =>
  ({
    id: `l${position}`,
    position,
    name,
    headline: "arrives",
    tag: "",
    stations,
    from_ports: [[`s${position}`, "out", 1]],
    to_ports: [[`t${position}`, "track", 1]],
  }) as unknown as LineView

const alma = line(
  1,
  "Alma",
  station("source", "Alma", ""),
  station("box_in", "Corvane 8", "1"),
  station("computer_in", "Hall", "17–18"),
  station("track", "Alma", "5"),
)
const dov = line(12, "Dov", station("box_in", "Box 2", "4"), station("track", "Dov", "12"))

describe("what a sentence tells of", () => {
  it.each([
    ["everything sounds hollow", "hollow"],
    ["there is no sound on five", "nothing"],
    ["sounds thin", "thin"],
    ["It crackles!", "clicks"],
    ["latency", "late"],
    ["phasey", "hollow"],
    ["there is an echo", "echo"],
    ["it howls", "howls"],
    ["there is ringing in the hall", "rings"],
    ["only in one ear", "one side"],
    ["much too loud", "distorted"],
    ["Alma is on the wrong track", "misplaced"],
    ["she hears herself", "echo"],
    ["notifications are in the recording", "others"],
    ["the reed organ only on the left", "one side"],
    ["I hear it in the left only", "one side"],
    ["I hear notifications", "others"],
    ["we hear no bass drum", "nothing"],
  ])("%s: %s", (text, symptom) => {
    expect(symptomOf(text)).toBe(symptom)
  })

  it("finds every symptom by its own name and by the beginning of it", () => {
    for (const symptom of SYMPTOMS) {
      expect(symptomOf(symptom)).toBe(symptom)
      expect(symptomOf(` ${symptom.slice(0, 3).toUpperCase()}`)).not.toBeNull()
    }
  })

  it("says nothing of two letters, and of any text without ever failing", () => {
    expect(symptomOf("ho")).toBeNull()
    fc.assert(
      fc.property(fc.string(), (text) => {
        const found = symptomOf(text)
        return found === null || SYMPTOMS.includes(found)
      }),
    )
  })

  it("knows when something is heard that is not said", () => {
    expect(soundsWrong("it sounds strange")).toBe(true)
    expect(soundsWrong("Corvane")).toBe(false)
  })
})

describe("names that sound like sentences", () => {
  it("takes the beginning of a line's name for a name", () => {
    const lines = [{ name: "Alma, heard" }] as LineView[]
    expect(beginsAName(lines, "Alma, heard")).toBe(true)
    expect(beginsAName(lines, "alma, he")).toBe(true)
    expect(beginsAName(lines, "Alma is not heard")).toBe(false)
    expect(beginsAName(lines, "heard")).toBe(false)
  })
})

describe("numbers in sentences", () => {
  it.each([
    ["there is no sound on five", 5],
    ["t5 is dead", 5],
    ["nothing on 12.", 12],
    ["#7", 7],
    ["only on one side", null],
    ["in one ear", null],
    ["somewhere", null],
    ["this one is dead", null],
    ["no one hears it", null],
    ["on one there is nothing", 1],
    ["the fifth track is empty", 5],
  ])("%s: %s", (text, number) => {
    expect(numberIn(text)).toBe(number)
  })

  it("finds any number up to 999 as a word of its own", () => {
    fc.assert(fc.property(fc.nat(999), (number) => numberIn(`no sound on ${number}, again`) === number))
  })
})

describe("which lines fit", () => {
  it("tells a box and its jack apart", () => {
    expect(fits(dov, "box 2, jack 4")).toBe(true)
    expect(fits(dov, "box 2, jack 2")).toBe(false)
  })

  it("finds ports by bank and number, also inside a range", () => {
    expect(fits(alma, "hall 17")).toBe(true)
    expect(fits(alma, "hall 19")).toBe(false)
    expect(fits(alma, "channel 18")).toBe(true)
    expect(fits(alma, "t5")).toBe(true)
    expect(fits(dov, "t5")).toBe(false)
    expect(fits(alma, "#12")).toBe(false)
    expect(fits(dov, "#12")).toBe(true)
  })

  it("finds by name whatever the case, and everything when nothing is typed", () => {
    expect(fits(alma, "ALM")).toBe(true)
    expect(fits(alma, "  ")).toBe(true)
    expect(fits(dov, "alma")).toBe(false)
  })

  it("names lines by a track's number, a line's name, or neither", () => {
    expect([...namedLines([alma, dov], "there is no sound on five")]).toEqual(["l1"])
    expect([...namedLines([alma, dov], "dov crackles")]).toEqual(["l12"])
    expect([...namedLines([alma, dov], "it crackles")]).toEqual([])
    expect([...namedLines([alma, dov], "almanacs crackle")]).toEqual([])
    expect([...namedLines([alma, dov], "Alma's track crackles")]).toEqual(["l1"])
  })

  it("says what it did not understand, and nothing of what it did", () => {
    for (const text of ["there is no sound on five", "Dov crackles now", "it sounds hollow", "zither"])
      expect(notUnderstood([alma, dov], text)).toBe("")
    expect(notUnderstood([alma, dov], "the zither crackles in the kitchen")).toBe("zither kitchen")
    // That no track has that number is told by itself; where a name says which line is meant it is not.
    expect(notUnderstood([alma, dov], "no sound on nine")).toBe("")
    expect(notUnderstood([alma, dov], "Dov crackles on nine")).toBe("nine")
    expect(notUnderstood([alma, dov], "Dov yodels on 12")).toBe("yodels")
  })
})

describe("who could be behind it", () => {
  const snag = (key: string, symptoms: string[], lines: string[], items: string[] = []) =>
    ({ key, symptoms, lines, items }) as unknown as SnagView

  it("puts those whose first symptom it is first", () => {
    const snags = [
      snag("a", ["late", "hollow"], ["l1"]),
      snag("b", ["hollow"], ["l1"]),
      snag("c", ["clicks", "hollow"], ["l12"]),
      snag("d", ["clicks"], ["l12"]),
    ]
    expect(suspects(snags, "hollow", ABOUT_ALL).map((each) => each.key)).toEqual(["b", "a", "c"])
    expect(suspects(snags, null, ABOUT_ALL)).toEqual([])
  })

  it("answers about nothing but the place that a sentence names, and what everybody shares", () => {
    const snags = [
      snag("dov", ["nothing"], ["l12"], ["t12"]),
      snag("his track", ["nothing"], [], ["t12"]),
      snag("the box", ["late", "nothing"], [], ["b1"]),
      snag("alma", ["late", "nothing"], ["l1"], ["t1"]),
    ]
    const told = (text: string) =>
      suspects(snags, "nothing", aboutOf([alma, dov], text)).map((each) => each.key)
    expect(told("no sound on five")).toEqual(["alma", "the box"])
    expect(told("no sound from Dov")).toEqual(["dov", "his track", "the box"])
    expect(told("no sound")).toEqual(["dov", "his track", "the box", "alma"])
    expect(told("no sound on nine")).toEqual([])
    expect(aboutOf([alma, dov], "no sound on nine").missing).toBe(9)
  })

  it("says for which line a snag of several was found", () => {
    const late = { ...snag("late", ["late"], ["l1", "l12"], []), title: "Alma is late: 13.35 ms" }
    const also = (text: string) => alsoOf(late, [alma, dov], aboutOf([alma, dov], text))
    expect(also("Dov comes late")).toEqual(["Dov"])
    expect(also("Alma comes late")).toEqual([])
    expect(also("it comes late")).toEqual([])
  })
})
