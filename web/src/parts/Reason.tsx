import { Box } from "@chakra-ui/react"
import { useLayoutEffect, useState, type ReactNode, type RefObject } from "react"

const WIDTH = 320
const GAP = 3

interface Place {
  left: number
  top?: number
  bottom?: number
}

/** Below a field, or above it where there is no room; moved in where it would leave the window; null while it is hidden. */
function placeOf(field: HTMLElement): Place | null {
  const { left, right, top, bottom } = field.getBoundingClientRect()
  if (document.elementFromPoint((left + right) / 2, (top + bottom) / 2) !== field) return null
  const inside = Math.max(4, Math.min(left, window.innerWidth - WIDTH - 4))
  return bottom + 80 < window.innerHeight
    ? { left: inside, top: bottom + GAP }
    : { left: inside, bottom: window.innerHeight - top + GAP }
}

/** Why what stands in a field was refused, beside that field; it goes when the field does. */
export function Reason({ of, children }: { of: RefObject<HTMLElement | null>; children: ReactNode }) {
  const [place, setPlace] = useState<Place | null>(null)
  useLayoutEffect(() => {
    const put = () => setPlace(of.current && placeOf(of.current))
    put()
    window.addEventListener("resize", put)
    window.addEventListener("scroll", put, true)
    return () => {
      window.removeEventListener("resize", put)
      window.removeEventListener("scroll", put, true)
    }
  }, [of])
  return (
    <Box
      role="alert"
      position="fixed"
      style={{ ...place, visibility: place ? undefined : "hidden" }}
      w="max-content"
      maxW={`${WIDTH}px`}
      bg="waxWash"
      color="wax"
      border="1px solid"
      borderColor="wax"
      px="6px"
      py="3px"
      textStyle="cell"
      whiteSpace="normal"
      zIndex="30"
    >
      {children}
    </Box>
  )
}
