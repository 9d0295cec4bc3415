import { expect, it } from "vitest"

import { pegKey, wayOf, type Answer } from "./lit"

it("lights one peg for a track before and behind its fader, for a bus, and for both legs of either", () => {
  expect(
    new Set([pegKey(["t1", "monitor", 1]), pegKey(["t1", "post", 2]), pegKey(["t1", "track", 1])]).size,
  ).toBe(1)
  expect(pegKey(["u1", "bus_out", 2])).toBe(pegKey(["u1", "bus", 1]))
  expect(pegKey(["b1", "jack_out", 2])).not.toBe(pegKey(["b1", "jack_out", 1]))
})

it("counts a strip once on a way, so that no letter is left out", () => {
  const port = (owner: string, bank: string) => ({ port: [owner, bank, 1], said: `${owner} ${bank}` })
  const steps = [
    port("i1", "input"),
    port("t1", "monitor"),
    port("t1", "post"),
    port("u1", "bus"),
    port("u1", "bus_out"),
  ]
  const found = { arrives: [], goes: [{ steps }] } as unknown as Answer
  expect(wayOf(found, 0, 0).map((step) => step.key)).toEqual(["i1/input/1", "t1/track/1", "u1/bus/1"])
})
