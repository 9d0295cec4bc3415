import fc from "fast-check"
import { describe, expect, it } from "vitest"

import { fromTo, numberOf, panOf, signed } from "./figures"

describe("figures that are typed", () => {
  it("reads every figure as it is shown", () => {
    fc.assert(
      fc.property(fc.integer({ min: -9999, max: 9999 }), fc.integer({ min: 0, max: 3 }), (whole, digits) => {
        const value = whole / 10 ** digits
        expect(numberOf(signed(value, digits))).toBeCloseTo(value, 9)
        expect(numberOf(fromTo(value, value))).toBeCloseTo(value, 9)
      }),
    )
  })

  it.each([
    ["1,5", 1.5],
    [" +4 ", 4],
    ["−18.0", -18],
    ["", null],
    ["10 ms", null],
    ["1e3", null],
    ["3-4", null],
  ])("%s is %s", (text, number) => {
    expect(numberOf(text)).toBe(number)
  })
})

describe("where a sound is wanted", () => {
  it.each([
    ["left", -1],
    ["L", -1],
    ["hard right", 1],
    ["centre", 0],
    ["C", 0],
    ["30 R", 0.3],
    ["30r", 0.3],
    ["R30", 0.3],
    ["left 25 %", -0.25],
    ["−30", -0.3],
    ["12,5", 0.125],
    ["0", 0],
    ["somewhere", null],
    ["", null],
  ])("%s is %s", (text, pan) => {
    expect(panOf(text)).toBe(pan)
  })
})
