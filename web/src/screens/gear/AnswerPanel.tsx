import { Box, Flex, chakra } from "@chakra-ui/react"

import { Figure } from "../../parts/controls"
import type { Answer, Reach } from "./lit"
import { signed, fromTo } from "../../parts/figures"
import { usePropose } from "../../parts/propose"

interface Props {
  answer: Answer | undefined
  from: number
  to: number
  onFrom: (index: number) => void
  onTo: (index: number) => void
}

/** The answer for any port: what arrives here, and where it goes on to. */
export function AnswerPanel({ answer, from, to, onFrom, onTo }: Props) {
  if (!answer) return null
  return (
    <Box
      bg="wash"
      p="6px"
      mb="8px"
      borderLeft="3px solid"
      borderColor="sea"
      aria-label={`Answer for ${answer.said}`}
      role="region"
    >
      <b>{answer.said}</b>
      <Side
        title="arrives here"
        none="nothing arrives here"
        unwanted="no line wants it here"
        reaches={answer.arrives}
        unmet={answer.missed}
        at={from}
        onPick={onFrom}
      />
      <Side
        title="goes to"
        none="it goes nowhere"
        unwanted="no line wants it there"
        reaches={answer.goes}
        unmet={answer.fails}
        at={to}
        onPick={onTo}
      />
      <Could title="could arrive" ways={answer.could_arrive} />
      <Could title="could go to" ways={answer.could_go} />
      {answer.never.length > 0 && (
        <Box mt="4px" color="ink2">
          Never: {answer.never.join("; ")}.
        </Box>
      )}
    </Box>
  )
}

/** Ways that there could be, each with the switches it needs; choosing one shows what that would change. */
function Could({ title, ways }: { title: string; ways: Answer["could_arrive"] }) {
  const propose = usePropose()
  if (ways.length === 0) return null
  return (
    <Box mt="4px">
      <Box textStyle="head">{title}</Box>
      {ways.map((way, index) => (
        <chakra.button
          key={index}
          display="block"
          w="100%"
          textAlign="left"
          px="4px"
          cursor="pointer"
          color="ink2"
          title={way.steps.map((step) => step.said).join(" › ")}
          onClick={() => void propose({ edits: way.edits, words: way.switches.join("; ") })}
        >
          {way.said}
          <Box fontSize="12px">if: {way.switches.join("; ")}</Box>
        </chakra.button>
      ))}
    </Box>
  )
}

function Side(props: {
  title: string
  none: string
  unwanted: string
  reaches: Reach[]
  /** What lines want on this side and do not get. */
  unmet: string[]
  at: number
  onPick: (index: number) => void
}) {
  return (
    <Box mt="4px">
      {props.reaches.length === 0 ? (
        <Box color="ink2">{props.none}</Box>
      ) : (
        <Box textStyle="head">{props.title}</Box>
      )}
      {props.unmet.map((words) => (
        <Box key={words} px="4px" color="wax">
          {words}
        </Box>
      ))}
      {props.reaches.map((reach, index) => (
        <chakra.button
          key={index}
          display="block"
          w="100%"
          textAlign="left"
          px="4px"
          cursor="pointer"
          bg={index === props.at ? "sheet" : "transparent"}
          title={reach.steps.map((step) => step.said).join(" › ")}
          onClick={() => props.onPick(index)}
        >
          <Flex gap="6px">
            <Box flex="1" minW="0">
              {reach.said}
            </Box>
            <Figure whiteSpace="nowrap">
              {reach.passes && reach.delay_ms !== null && (
                <>
                  {reach.assumed ? "~" : ""}
                  {fromTo(reach.delay_ms, reach.most_ms ?? reach.delay_ms, 2)} ms
                </>
              )}
              {reach.passes && reach.level !== null && ` ${signed(reach.level, 1)} ${reach.unit}`}
            </Figure>
          </Flex>
          {!reach.passes && <Box color="wax">stopped: {reach.stopped}</Box>}
          {reach.passes && (
            <Box color="ink2" fontSize="12px">
              {reach.wanted_by.length > 0 ? `line ${reach.wanted_by.join(", ")}` : props.unwanted}
            </Box>
          )}
        </chakra.button>
      ))}
    </Box>
  )
}
