import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef, type ReactNode } from "react"

import { Button, Kbd } from "./controls"
import { useOnlyPanel } from "./panel"

interface Props {
  title: string
  note?: string
  onClose: () => void
  children: ReactNode
}

/**
 * A panel over the right of any place, which stays live on the left; another one takes its place. Escape closes it (its owner
 * binds the key).
 */
export function Drawer({ title, note, onClose, children }: Props) {
  const panel = useRef<HTMLDivElement>(null)
  useOnlyPanel(onClose)
  useEffect(() => {
    // A field inside that takes the focus itself keeps it.
    if (!panel.current?.contains(document.activeElement)) panel.current?.focus()
  }, [])
  return (
    <Flex
      ref={panel}
      as="aside"
      tabIndex={-1}
      outline="none"
      direction="column"
      position="absolute"
      right="0"
      top="0"
      bottom="0"
      w="drawer"
      bg="sheet"
      borderLeft="1px solid"
      borderColor="edge"
      zIndex="15"
      aria-label={title}
    >
      <Flex
        h="bar"
        flex="none"
        align="center"
        px="12px"
        gap="8px"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <chakra.h2 fontWeight="600">{title}</chakra.h2>
        <chakra.span color="ink2">{note}</chakra.span>
        <Box flex="1" />
        <Button size="row" variant="quiet" onClick={onClose}>
          Close <Kbd>Esc</Kbd>
        </Button>
      </Flex>
      {children}
    </Flex>
  )
}
