import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useMemo, useState } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { PORT, useDrop } from "./drag"
import { portKey, useLit } from "./lit"

/** A bank of more ports than these shows as runs until it is opened. */
const RUNS_ABOVE = 32

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
  /** Ports from this number on are not shown by the driver: struck through. */
  shown?: number
  at: string | null
  onPick: (port: string) => void
}

/** A bank of numbered pegs: free ones outlined, used ones filled, those of the chosen way with their letter. */
export function Bank({ owner, bank, title, count, ids, shown = count, at, onPick }: Props) {
  const ports = usePorts()
  const lit = useLit()
  const [open, setOpen] = useState(false)
  if (count === 0) return null
  const keyOf = (index: number) =>
    ids ? portKey(ids[index] ?? "", bank, 1) : portKey(owner, bank, index + 1)
  const keys = Array.from({ length: count }, (_, index) => keyOf(index))
  const used = keys.map((key) => ports.get(key)?.used ?? false)
  const folded = count > RUNS_ABOVE && !open && !keys.some((key) => key === at || lit.has(key))
  return (
    <Box mt="2px">
      {title && (
        <Flex fontSize="12px" lineHeight="16px" color="ink2" gap="6px">
          <span>{title}</span>
          <span>
            {used.filter(Boolean).length}/{count}
          </span>
          {count > RUNS_ABOVE && (
            <chakra.button
              cursor="pointer"
              aria-expanded={!folded}
              onClick={(event) => {
                event.stopPropagation()
                setOpen(folded)
              }}
            >
              {folded ? "+ all" : "− runs"}
            </chakra.button>
          )}
        </Flex>
      )}
      {folded ? (
        <Flex wrap="wrap" gap="4px" textStyle="figureSmall">
          {runs(used).map((run) => (
            <chakra.span
              key={run.from}
              px="3px"
              border="1px solid"
              borderColor={run.used ? "ink" : "edge"}
              bg={run.used ? "ink" : "transparent"}
              color={run.used ? "onInk" : "ink2"}
            >
              {run.from === run.to ? run.from : `${run.from}–${run.to}`}
            </chakra.span>
          ))}
        </Flex>
      ) : (
        <Flex wrap="wrap" gap="2px" rowGap="6px" mt="4px">
          {keys.map((key, index) => (
            <Peg
              key={key}
              port={key}
              number={index + 1}
              wide={count > 99}
              use={ports.get(key)}
              free={`${title ?? bank} ${index + 1}`}
              hidden={index >= shown}
              flag={lit.get(key)}
              chosen={at === key}
              onPick={() => onPick(key)}
            />
          ))}
        </Flex>
      )}
    </Box>
  )
}

function runs(used: boolean[]): { from: number; to: number; used: boolean }[] {
  const found: { from: number; to: number; used: boolean }[] = []
  used.forEach((on, index) => {
    const last = found.at(-1)
    if (last && last.used === on) last.to = index + 1
    else found.push({ from: index + 1, to: index + 1, used: on })
  })
  return found
}

function Peg(props: {
  port: string
  number: number
  wide: boolean
  use: Schemas["PortUse"] | undefined
  free: string
  hidden: boolean
  flag: string | undefined
  chosen: boolean
  onPick: () => void
}) {
  const { use, flag } = props
  const drop = useDrop()
  const words = use
    ? [
        use.said,
        use.fed_by.length ? `fed by ${use.fed_by.join(", ")}` : "",
        use.feeds.length ? `feeds ${use.feeds.join(", ")}` : "",
        props.hidden ? "not shown by this driver" : "",
      ]
        .filter(Boolean)
        .join("; ")
    : `${props.free}, ${props.hidden ? "not shown by this driver" : "free"}`
  const used = use?.used ?? false
  const lit = flag !== undefined
  return (
    <chakra.button
      position="relative"
      w={props.wide ? "25px" : "18px"}
      h="18px"
      fontFamily="mono"
      fontSize="11px"
      lineHeight="16px"
      borderRadius="xs"
      border="1px solid"
      borderColor={lit ? "sea" : used ? "ink" : "edge"}
      bg={lit ? "sea" : used ? "ink" : "transparent"}
      color={lit ? "onSea" : used ? "onInk" : "ink2"}
      textDecoration={props.hidden ? "line-through" : "none"}
      outline={props.chosen ? "2px solid" : undefined}
      outlineColor="sea"
      outlineOffset="1px"
      cursor="pointer"
      title={words}
      aria-label={`${props.number}: ${words}${flag ? `; ${flag} on the chosen way` : ""}`}
      // The focus stays where it was, so that Space goes on marking boxes.
      onMouseDown={(event) => event.currentTarget.blur()}
      onMouseUp={(event) => event.currentTarget.blur()}
      draggable
      onDragStart={(event) => {
        event.stopPropagation()
        event.dataTransfer.setData(PORT, props.port)
        event.dataTransfer.effectAllowed = "link"
      }}
      onDragOver={(event) => {
        if (event.dataTransfer.types.includes(PORT)) event.preventDefault()
      }}
      onDrop={(event) => {
        event.preventDefault()
        event.stopPropagation()
        drop(event.dataTransfer.getData(PORT), props.port)
      }}
      onClick={(event) => {
        event.stopPropagation()
        props.onPick()
      }}
    >
      {props.number}
      {flag && (
        <chakra.span
          position="absolute"
          top="-7px"
          left="-4px"
          minW="11px"
          h="11px"
          px="1px"
          bg="sheet"
          color="ink"
          border="1px solid"
          borderColor="sea"
          fontFamily="body"
          fontSize="11px"
          lineHeight="9px"
          fontWeight="600"
          zIndex="1"
          aria-hidden
          _before={{ content: `"${flag}"` }}
        />
      )}
    </chakra.button>
  )
}
