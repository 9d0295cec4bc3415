import { chakra } from "@chakra-ui/react"

import type { LineView } from "../../api/client"

export const COLOURS = {
  none: "transparent",
  red: "#B5402B",
  orange: "#C97B1E",
  yellow: "#D1B22A",
  green: "#5E8A3A",
  blue: "#3D6C9E",
  purple: "#7B5A96",
  grey: "#8A8A82",
} as const

/** The colour that a line is marked with; its word is said to whoever cannot see it, and on paper. */
export function Swatch({ colour }: { colour: LineView["colour"] }) {
  if (colour === "none") return null
  return (
    <chakra.span
      role="img"
      aria-label={`marked ${colour}`}
      title={`marked ${colour}`}
      display="inline-block"
      w="8px"
      h="12px"
      mr="4px"
      verticalAlign="-1px"
      border="1px solid"
      borderColor="edge"
      style={{ backgroundColor: COLOURS[colour] }}
    />
  )
}
