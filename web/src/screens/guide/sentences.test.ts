import { expect, test } from "vitest"

import { PAGES } from "./pages"
import { type Piece, sentencesOf } from "./sentences"

const said = (pieces: Piece[]) =>
  pieces
    .map(({ kind, text }) => ({ words: text, typed: `<${text}>`, key: `[${text}]`, read: `“${text}”` })[kind])
    .join("")

test("keys become sentences that somebody can follow", () => {
  expect(
    sentencesOf(
      'start blank "First evening"\n"2 mic" Enter "rec" Enter Esc\nsee "added recorder"\n/ "pel" Space j',
    ).map(said),
  ).toEqual([
    "On the first page begin the rig “First evening”.",
    "Type <2 mic>, press [Enter]; type <rec>, press [Enter], [Esc]. Then it reads “added recorder”.",
    "Press [/]; type <pel>, press [Space], [j].",
  ])
  expect(sentencesOf('start example "orrin point"\nfile inputs.csv').map(said)).toEqual([
    "On the first page open the example “orrin point”.",
    "Choose “inputs.csv” with “Input list”.",
  ])
})

test("every page is told in sentences that are whole, and nothing of it is left out", () => {
  for (const page of PAGES)
    for (const [, block = ""] of page.text.matchAll(/^```keys\n(.*?)^```$/gms)) {
      const told = sentencesOf(block).map(said)
      for (const sentence of told) expect(sentence).toMatch(/^(On|Type|Press|Choose) .*\.$/)
      for (const [quoted] of block.matchAll(/"[^"]*"/g)) expect(told.join(" ")).toContain(quoted.slice(1, -1))
      expect(told.join(" ")).not.toMatch(/\bsee\b|"|undefined|“”/)
    }
})
