import { expect, it } from "vitest"

const FILES = import.meta.glob<string>("./**/*.{ts,tsx}", { query: "?raw", import: "default", eager: true })

/** What a module takes from others of ours; types alone count as well. */
function takenBy(path: string, text: string): string[] {
  const folder = path.split("/").slice(0, -1)
  return [...text.matchAll(/from "(\.[^"]+)"/g)].flatMap((found) => {
    const parts = [...folder]
    for (const step of (found[1] ?? "").split("/")) {
      if (step === "..") parts.pop()
      else if (step !== ".") parts.push(step)
    }
    const at = parts.join("/")
    return [`${at}.ts`, `${at}.tsx`].filter((each) => each in FILES)
  })
}

/** A circle of modules, or nothing. */
function circleIn(taken: ReadonlyMap<string, string[]>): string[] {
  const done = new Set<string>()
  const visit = (at: string, way: string[]): string[] => {
    if (way.includes(at)) return [...way.slice(way.indexOf(at)), at]
    if (done.has(at)) return []
    for (const next of taken.get(at) ?? []) {
      const circle = visit(next, [...way, at])
      if (circle.length > 0) return circle
    }
    done.add(at)
    return []
  }
  for (const at of taken.keys()) {
    const circle = visit(at, [])
    if (circle.length > 0) return circle
  }
  return []
}

it("has no circle of imports", () => {
  const taken = new Map(Object.entries(FILES).map(([path, text]) => [path, takenBy(path, text)]))
  expect([...taken.values()].flat().length).toBeGreaterThan(100)
  expect(circleIn(taken)).toEqual([])
})

it("would find one", () => {
  expect(
    circleIn(
      new Map([
        ["a", ["b"]],
        ["b", ["c"]],
        ["c", ["b"]],
      ]),
    ),
  ).toEqual(["b", "c", "b"])
})
