import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef, type ReactNode } from "react"

import { Button, Kbd } from "./controls"

interface Props {
  label: string
  title: string
  /** What is said beside the title. */
  beside: ReactNode
  /** Buttons before the one that closes it. */
  acts: ReactNode
  h: string
  onClose: () => void
  children: ReactNode
}

/**
 * A table under the columns of Gear: its title, what can be done, and the rest of its height to scroll in. It takes the
 * focus when it opens, unless a field inside did.
 */
export function BottomPanel({ label, title, beside, acts, h, onClose, children }: Props) {
  const panel = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (!panel.current?.contains(document.activeElement)) panel.current?.focus()
  }, [])
  return (
    <Flex
      ref={panel}
      as="section"
      tabIndex={-1}
      outline="none"
      direction="column"
      flex="none"
      h={h}
      borderTop="1px solid"
      borderColor="edge"
      bg="sheet"
      aria-label={label}
    >
      <Flex h="30px" flex="none" align="center" px="12px" gap="12px" textStyle="cell" whiteSpace="nowrap">
        <chakra.h2 fontWeight="600">{title}</chakra.h2>
        {beside}
        <Box flex="1" />
        {acts}
        <Button size="row" variant="quiet" onClick={onClose}>
          Close <Kbd>Esc</Kbd>
        </Button>
      </Flex>
      {children}
    </Flex>
  )
}
