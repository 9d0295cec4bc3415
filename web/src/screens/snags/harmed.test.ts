import { expect, test } from "vitest"

import type { LineView, SnagView } from "../../api/client"
import { harmed } from "./harmed"

test("a line that arrives is none of those that a snag harms", () => {
  const lines = [
    { id: "l1", headline: "arrives" },
    { id: "l2", headline: "silent" },
    { id: "l3", headline: "late" },
  ] as LineView[]
  const of = (...ids: string[]) => harmed({ lines: ids } as SnagView, lines)
  expect(of("l1", "l2", "l3")).toEqual(["l2", "l3"])
  expect(of("l1")).toEqual([])
  expect(of("l9")).toEqual([])
})
