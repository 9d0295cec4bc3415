import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Figure } from "../../parts/controls"
import { Mark } from "../../parts/Mark"

type Budget = Schemas["LineBudget"]

const KINDS = [
  { kind: "hardware", words: "boxes and links" },
  { kind: "buffer", words: "waits in buffers" },
  { kind: "program", words: "effects" },
] as const

const FILL = {
  hardware: "sunk",
  buffer: "repeating-linear-gradient(135deg, var(--isk-colors-ink3) 0 1px, transparent 1px 5px)",
  program: "wash",
}

/** Every line that arrives: what its delay is spent on, against its limit; the nearest to it first. */
export function Budgets({ onLine }: { onLine: (line: string) => void }) {
  const { state } = useRig()
  const found = useQuery({
    queryKey: ["budgets", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Budget[]>(
        client.GET("/api/rigs/{rig_id}/delay-budgets", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const budgets = found.data ?? []
  const span = 1.06 * Math.max(1, ...budgets.map((each) => Math.max(each.ms, each.limit_ms ?? 0)))
  return (
    <Box flex="1" minH="0" overflow="auto" borderTop="1px solid" borderColor="edge" tabIndex={0}>
      <Flex minH="26px" align="center" px="12px" textStyle="head" bg="paper" gap="16px" wrap="wrap">
        <chakra.h2>
          Delay budgets · {budgets.length} of {state.survey.lines.length} lines have a way
        </chakra.h2>
        {KINDS.map(({ kind, words }) => (
          <Flex key={kind} align="center" gap="5px">
            <Box w="16px" h="12px" border="1px solid" borderColor="ink" css={{ background: fill(kind) }} />
            {words}
          </Flex>
        ))}
        <Flex align="center" gap="5px">
          <Box w="2px" h="14px" bg="sea" /> limit
        </Flex>
      </Flex>
      {found.data && budgets.length === 0 && (
        <Box p="12px" color="ink2" textStyle="cell">
          No line arrives yet; what each delay is spent on stands here once one does.
        </Box>
      )}
      <Box as="ul" listStyleType="none" aria-label="Delay budgets">
        {budgets.map((budget) => (
          <Row key={budget.line} budget={budget} span={span} onLine={onLine} />
        ))}
      </Box>
    </Box>
  )
}

const fill = (kind: "hardware" | "buffer" | "program") =>
  kind === "buffer" ? FILL.buffer : `var(--isk-colors-${FILL[kind]})`

function Row({ budget, span, onLine }: { budget: Budget; span: number; onLine: (line: string) => void }) {
  const late = budget.left_ms !== null && budget.left_ms < 0
  const share = (ms: number) => `${(100 * ms) / span}%`
  const left =
    budget.left_ms === null
      ? ""
      : late
        ? `${(-budget.left_ms).toFixed(2)} too late`
        : `${budget.left_ms.toFixed(2)} left`
  return (
    <Flex
      as="li"
      h="28px"
      align="center"
      gap="10px"
      px="12px"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      bg="sheet"
      data-budget={budget.name}
    >
      <Box w="16px" flex="none">
        {late && <Mark severity="trouble" label="late" />}
      </Box>
      <chakra.button
        w="170px"
        flex="none"
        textAlign="left"
        cursor="pointer"
        overflow="hidden"
        textOverflow="ellipsis"
        whiteSpace="nowrap"
        _hover={{ color: "sea" }}
        onClick={() => onLine(budget.line)}
      >
        <Figure color="ink2">{budget.position}</Figure> {budget.name}
      </chakra.button>
      <Box
        position="relative"
        flex="1"
        minW="120px"
        h="16px"
        role="img"
        aria-label={budget.parts
          .map((part) => `${part.label}, ${part.gear} ${part.ms.toFixed(2)} ms`)
          .join("; ")}
      >
        <Flex h="16px">
          {budget.parts.map((part, index) => (
            <Box
              key={index}
              h="16px"
              flex="none"
              style={{ width: share(part.ms) }}
              border="1px solid"
              borderLeftWidth={index ? "0" : "1px"}
              borderColor="ink"
              css={{ background: fill(part.kind) }}
              title={`${part.label}, ${part.gear}: ${part.samples} samples = ${part.ms.toFixed(3)} ms, ${part.origin}`}
            />
          ))}
        </Flex>
        {budget.limit_ms !== null && (
          <Box
            position="absolute"
            top="-4px"
            h="24px"
            w="2px"
            bg="sea"
            style={{ left: share(budget.limit_ms) }}
          />
        )}
      </Box>
      <Figure w="128px" flex="none" textAlign="right">
        {budget.assumed ? "~" : ""}
        {budget.ms.toFixed(2)} ms {String(budget.samples).padStart(4)}
      </Figure>
      <Box w="150px" flex="none" color="ink2">
        {budget.waits_ms.toFixed(2)} in buffers
      </Box>
      <Box w="150px" flex="none" color={late ? "wax" : "ink2"} fontWeight={late ? "600" : "400"}>
        {budget.limit_ms === null ? "no limit" : `of ${budget.limit_ms} ms, ${left}`}
      </Box>
    </Flex>
  )
}
