import { Box, Flex } from "@chakra-ui/react"
import type { ReactNode, Ref } from "react"

interface Props {
  /** What the page is called. */
  label: string
  /** What stands beside it, and is not printed. */
  left: ReactNode
  page?: Ref<HTMLDivElement>
  children: ReactNode
}

/** A page with the list of sheets at its left; printed it is alone, and whole. */
export function PaperFrame({ label, left, page, children }: Props) {
  return (
    <Flex h="100%" _print={{ h: "auto", display: "block" }}>
      <Box
        w="240px"
        flex="none"
        borderRight="1px solid"
        borderColor="rule"
        p="12px"
        overflowY="auto"
        _print={{ display: "none" }}
      >
        {left}
      </Box>
      <Box
        ref={page}
        flex="1"
        minW="0"
        overflow="auto"
        p="16px 24px"
        tabIndex={0}
        role="region"
        aria-label={label}
        _print={{ overflow: "visible", p: 0 }}
      >
        {children}
      </Box>
    </Flex>
  )
}
