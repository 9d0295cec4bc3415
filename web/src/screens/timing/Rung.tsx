import { Box, Flex, chakra } from "@chakra-ui/react"

import type { LadderView } from "../../api/client"
import { Figure } from "../../parts/controls"

type Rung = LadderView["rungs"][number]

export function RungRow({
  ladder,
  tried,
  climbing,
  rung,
  span,
  at,
  onTry,
}: {
  ladder: LadderView
  tried: number | null
  climbing: boolean
  rung: Rung
  span: number
  at: number
  onTry: (size: number) => void
}) {
  const now = rung.buffer_samples === ladder.buffer_samples
  const on = rung.buffer_samples === at
  const trial = rung.buffer_samples === tried
  const late = rung.late_lines > 0
  return (
    <Flex
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
      <Box w="20px" flex="none">
        {now && <Box w="8px" h="8px" mx="6px" borderRadius="4px" bg="ink" aria-label="now" role="img" />}
      </Box>
      <Figure w="40px" flex="none" textAlign="right" fontWeight={now ? "600" : "400"}>
        {rung.buffer_samples}
      </Figure>
      <Figure w="70px" flex="none" textAlign="right">
        {rung.buffer_ms.toFixed(2)} ms
      </Figure>
      <Bar share={lengthOf(rung) / span} limit={rung.nearest ? 1 / span : null} wax={late} />
      {rung.nearest && (
        <Figure
          w="110px"
          flex="none"
          whiteSpace="nowrap"
          title={rung.nearest.line}
          color={late ? "wax" : "ink"}
        >
          {rung.nearest.ms.toFixed(2)} of {rung.nearest.limit_ms} ms
        </Figure>
      )}
      <Figure w="122px" flex="none" textAlign="right">
        {rung.assumed ? "~" : ""}
        {rung.round_trip_ms.toFixed(2)} ms {rung.round_trip_samples}
      </Figure>
      <Spare rung={rung} />
      <Box w="62px" flex="none" textAlign="right" color={late ? "wax" : "ink2"}>
        {late ? `${rung.late_lines} late` : "none late"}
      </Box>
      <Box w="170px" flex="none" fontWeight={now ? "600" : "400"} whiteSpace="nowrap">
        {verdictOf(rung, now)}
        {rung.known && <chakra.span color="ink2"> · {rung.known}</chakra.span>}
      </Box>
    </Flex>
  )
}

function verdictOf(rung: Rung, now: boolean): string {
  const words = rung.smallest_safe && rung.verdict === "fits" ? "smallest safe" : rung.verdict
  return now ? `now, ${words}` : words
}

/** What a rung's bar shows: the share of its limit that the line nearest to it takes; without any, the round trip in ms. */
export const lengthOf = (rung: Rung) =>
  rung.nearest ? rung.nearest.ms / rung.nearest.limit_ms : rung.round_trip_ms

/** A bar of a share, with the limit as a line; what goes beyond the scale ends in a sawn edge. */
function Bar(props: { share: number; limit: number | null; wax: boolean }) {
  const cut = props.share > 1
  return (
    <Box flex="1" minW="80px" h="16px" position="relative">
      <Box
        h="10px"
        mt="3px"
        bg={props.wax ? "transparent" : "ink"}
        border="1px solid"
        borderColor={props.wax ? "wax" : "ink"}
        borderRightWidth={cut ? "0" : "1px"}
        style={{
          width: `${100 * Math.min(1, props.share)}%`,
          clipPath: cut
            ? "polygon(0 0, 100% 0, calc(100% - 5px) 25%, 100% 50%, calc(100% - 5px) 75%, 100% 100%, 0 100%)"
            : undefined,
        }}
      />
      {props.limit !== null && (
        <Box
          position="absolute"
          top="-8px"
          h="32px"
          w="1px"
          bg="ink"
          style={{ left: `${100 * props.limit}%` }}
        />
      )}
    </Box>
  )
}

const said = (percent: number) =>
  percent < 0 ? `${Math.round(-percent)} % short` : `${Math.round(percent)} %`

/** Time to spare: the share of the period left; a range where one reading is all there is. */
function Spare({ rung }: { rung: Rung }) {
  const spare = rung.spare_percent
  if (!spare)
    return (
      <Box w="170px" flex="none" color="ink3">
        time to spare not known
      </Box>
    )
  const [least, most] = spare
  const one = Math.round(least) === Math.round(most)
  return (
    <Flex w="170px" flex="none" align="center" gap="6px">
      <Box w="64px" flex="none" h="10px" position="relative" bg="sunk">
        <Box
          position="absolute"
          h="10px"
          bg={least < 0 ? "wax" : "ink"}
          style={{ width: `${Math.max(0, least)}%` }}
        />
        <Box
          position="absolute"
          h="10px"
          border="1px solid"
          borderColor="ink2"
          style={{ left: `${Math.max(0, least)}%`, width: `${Math.max(0, most) - Math.max(0, least)}%` }}
          display={one ? "none" : undefined}
        />
        <Box position="absolute" left="20%" top="-3px" h="16px" w="1px" bg="ink" />
      </Box>
      <Figure whiteSpace="nowrap" color={least < 0 ? "wax" : "ink"}>
        {one ? said(least) : `${least < 0 ? "none" : Math.round(least)}…${said(most)}`}
      </Figure>
    </Flex>
  )
}
