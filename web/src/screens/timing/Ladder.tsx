import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef } from "react"

import type { Schemas } from "../../api/client"
import { Figure } from "../../parts/controls"

export type LadderView = Schemas["Ladder"]

const VERDICTS = { now: "now", fits: "fits", late: "late" } as const
const BAR_PX = 380

interface Props {
  ladder: LadderView
  tried: number | null
  climbing: boolean
  onTry: (size: number) => void
}

/** Every buffer the driver offers: its time, the round trip against the limit, and who would be late. */
export function Ladder({ ladder, tried, climbing, onTry }: Props) {
  const list = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (climbing) list.current?.focus()
  }, [climbing])
  const longest = Math.max(...ladder.rungs.map((rung) => rung.round_trip_ms))
  // Beyond three times the limit a bar says nothing more; the scale serves the rungs that could be chosen.
  const span = ladder.limit_ms ? Math.min(longest, 3 * ladder.limit_ms) : longest
  const x = (ms: number) => Math.min(BAR_PX, (BAR_PX * ms) / span)
  const at = tried ?? ladder.buffer_samples
  return (
    <Box flex="1" minH="0" overflow="auto" borderTop="1px solid" borderColor="edge">
      <Flex h="26px" align="center" px="12px" textStyle="head" bg="paper" gap="12px">
        <chakra.h2>
          Ladder · {ladder.name} on {ladder.device}
        </chakra.h2>
        <span>
          {ladder.limit_ms === null
            ? "no line with a limit waits here"
            : `${ladder.lines} ${ladder.lines === 1 ? "line" : "lines"} with a limit, the tightest ${ladder.limit_ms} ms`}
        </span>
        {ladder.assumed && <span>~ some of this box’s delays are assumed; type what you know on Gear</span>}
      </Flex>
      <Box
        ref={list}
        role="listbox"
        aria-label={`Buffers of ${ladder.name}`}
        tabIndex={0}
        aria-activedescendant={`rung-${at}`}
      >
        {ladder.rungs.map((rung) => {
          const now = rung.buffer_samples === ladder.buffer_samples
          const on = rung.buffer_samples === at
          const trial = rung.buffer_samples === tried
          return (
            <Flex
              key={rung.buffer_samples}
              id={`rung-${rung.buffer_samples}`}
              role="option"
              aria-selected={on}
              h="32px"
              px="12px"
              gap="14px"
              align="center"
              cursor="pointer"
              bg={trial ? "pencilWash" : on ? "wash" : "sheet"}
              boxShadow={on && climbing ? "inset 3px 0 0 {colors.sea}" : undefined}
              borderBottom="1px solid"
              borderColor="rule"
              outline={trial ? "1px dashed" : undefined}
              outlineColor="pencil"
              outlineOffset="-2px"
              color={trial ? "pencil" : "ink"}
              textStyle="cell"
              onClick={() => onTry(rung.buffer_samples)}
            >
              <Box w="20px">
                {now && (
                  <Box w="8px" h="8px" mx="6px" borderRadius="4px" bg="ink" aria-label="now" role="img" />
                )}
              </Box>
              <Figure w="48px" textAlign="right" fontWeight={now ? "600" : "400"}>
                {rung.buffer_samples}
              </Figure>
              <Figure w="76px" textAlign="right">
                {rung.buffer_ms.toFixed(2)} ms
              </Figure>
              <Box w={`${BAR_PX}px`} h="16px" position="relative" flex="none">
                <Box
                  h="10px"
                  mt="3px"
                  bg={rung.late_lines > 0 ? "transparent" : "ink"}
                  border="1px solid"
                  borderColor={rung.late_lines > 0 ? "wax" : "ink"}
                  style={{ width: `${x(rung.round_trip_ms)}px` }}
                />
                {ladder.limit_ms !== null && (
                  <Box
                    position="absolute"
                    top="-8px"
                    h="32px"
                    w="1px"
                    bg="ink"
                    style={{ left: `${x(ladder.limit_ms ?? 0)}px` }}
                  />
                )}
              </Box>
              <Figure w="130px" textAlign="right">
                {ladder.assumed ? "~" : ""}
                {rung.round_trip_ms.toFixed(2)} ms {rung.round_trip_samples}
              </Figure>
              <Box w="80px" textAlign="right" color={rung.late_lines > 0 ? "wax" : "ink2"}>
                {rung.late_lines > 0 ? `${rung.late_lines} late` : "none late"}
              </Box>
              <Box w="80px" fontWeight={now ? "600" : "400"}>
                {VERDICTS[rung.verdict]}
              </Box>
            </Flex>
          )
        })}
      </Box>
    </Box>
  )
}
