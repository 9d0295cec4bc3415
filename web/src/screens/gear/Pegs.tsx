import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useMemo } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"

export const portKey = (owner: string, bank: string, number: number) => `${owner}/${bank}/${number}`

/** What is known of every joined port, by key. */
export function usePorts() {
  const { state } = useRig()
  const found = useQuery({
    queryKey: ["ports", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Schemas["PortUse"][]>(
        client.GET("/api/rigs/{rig_id}/ports", { params: { path: { rig_id: state.id } } }),
      ),
  })
  return useMemo(() => new Map(found.data?.map((use) => [portKey(...use.port), use])), [found.data])
}

interface Props {
  owner: string
  bank: string
  title?: string
  count: number
  /** For a program's items: their ids, each a port owner of its own. */
  ids?: string[]
  at: string | null
  onPick: (port: string) => void
}

/** A bank of numbered pegs: free ones outlined, used ones filled. */
export function Bank({ owner, bank, title, count, ids, at, onPick }: Props) {
  const ports = usePorts()
  if (count === 0) return null
  return (
    <Box mt="2px">
      {title && (
        <Box fontSize="12px" lineHeight="16px" color="ink2">
          {title}
        </Box>
      )}
      <Flex wrap="wrap" gap="2px">
        {Array.from({ length: count }, (_, index) => {
          const key = ids ? portKey(ids[index] ?? "", bank, 1) : portKey(owner, bank, index + 1)
          const use = ports.get(key)
          const words = use
            ? [
                use.said,
                use.fed_by.length ? `fed by ${use.fed_by.join(", ")}` : "",
                use.feeds.length ? `feeds ${use.feeds.join(", ")}` : "",
              ]
                .filter(Boolean)
                .join("; ")
            : `${title ?? bank} ${index + 1}, free`
          const used = use?.used ?? false
          return (
            <chakra.button
              key={key}
              w={count > 99 ? "25px" : "18px"}
              h="18px"
              fontFamily="mono"
              fontSize="11px"
              lineHeight="16px"
              borderRadius="xs"
              border="1px solid"
              borderColor={used ? "ink" : "edge"}
              bg={used ? "ink" : "transparent"}
              color={used ? "onInk" : "ink2"}
              outline={at === key ? "2px solid" : undefined}
              outlineColor="sea"
              outlineOffset="1px"
              cursor="pointer"
              title={words}
              aria-label={`${index + 1}: ${words}`}
              onClick={(event) => {
                event.stopPropagation()
                onPick(key)
              }}
            >
              {index + 1}
            </chakra.button>
          )
        })}
      </Flex>
    </Box>
  )
}
