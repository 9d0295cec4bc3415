import { createSystem, defaultBaseConfig, defineConfig } from "@chakra-ui/react"

import { cells } from "./cells"

/** What a drawer takes from the screen beside it. */
export const DRAWER_PX = 420

const pair = (light: string, night: string) => ({ value: { base: light, _dark: night } })

/** Ink is fact, pencil a proposal, wax trouble, sea where you are and what you can press. */
const colors = {
  paper: pair("#F3EEE1", "#12191A"),
  sheet: pair("#FBF8F0", "#192223"),
  sunk: pair("#E8E1CF", "#0D1314"),
  wash: pair("#DCE9E2", "#1A342F"),
  waxWash: pair("#F4E0D6", "#3A221C"),
  pencilWash: pair("#E2E4EA", "#242B3B"),
  ink: pair("#1C2629", "#ECE5D4"),
  ink2: pair("#46514F", "#BDB9AB"),
  ink3: pair("#5A625C", "#A6A699"),
  sea: pair("#0E5A52", "#79C2AE"),
  seaDeep: pair("#0A4640", "#9AD6C5"),
  onSea: pair("#FBF8F0", "#0D1A18"),
  onInk: pair("#FBF8F0", "#12191A"),
  wax: pair("#9A2F1B", "#F09A82"),
  pencil: pair("#3A4C7A", "#A9B9E0"),
  rule: pair("#D3C9B3", "#334143"),
  edge: pair("#857B66", "#7F8B87"),
}

const fonts = {
  body: { value: "'IBM Plex Sans Condensed', 'Arial Narrow', sans-serif" },
  heading: { value: "'IBM Plex Sans Condensed', 'Arial Narrow', sans-serif" },
  mono: { value: "'Spline Sans Mono', ui-monospace, monospace" },
}

const text = (fontFamily: string, fontSize: string, lineHeight: string, more: object = {}) => ({
  value: { fontFamily, fontSize, lineHeight, ...more },
})

export const system = createSystem(
  defaultBaseConfig,
  defineConfig({
    cssVarsPrefix: "isk",
    preflight: true,
    globalCss: {
      "html, body, #root": { h: "100%", _print: { h: "auto" } },
      body: {
        bg: "paper",
        color: "ink",
        textStyle: "body",
        fontVariantNumeric: "tabular-nums",
        margin: 0,
        overflow: "hidden",
        _print: { overflow: "visible", bg: "white", color: "black" },
      },
      "*:focus-visible": { outline: "2px solid", outlineColor: "sea", outlineOffset: "1px" },
      "input[type=checkbox]": { accentColor: "sea" },
      "::selection": { bg: "wash" },
      ...cells,
    },
    theme: {
      tokens: {
        fonts,
        radii: { none: { value: "0" }, xs: { value: "1px" }, sm: { value: "2px" }, md: { value: "3px" } },
        sizes: {
          rail: { value: "64px" },
          bar: { value: "40px" },
          row: { value: "28px" },
          inspector: { value: "312px" },
          tape: { value: "200px" },
          drawer: { value: `${DRAWER_PX}px` },
        },
      },
      semanticTokens: { colors },
      textStyles: {
        title: text("body", "18px", "24px", { fontWeight: "600" }),
        body: text("body", "14px", "20px"),
        cell: text("body", "13px", "18px"),
        head: text("body", "12px", "16px", { fontWeight: "600", color: "ink2" }),
        figure: text("mono", "12px", "18px"),
        figureSmall: text("mono", "11px", "16px"),
      },
    },
  }),
)
