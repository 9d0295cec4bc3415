import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useMemo, useRef, useState, type ReactNode } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { useSelection } from "../../parts/selection"
import { useSetting } from "../../parts/settings"
import { PaperFrame } from "./PaperFrame"
import { today } from "./today"

type Step = Schemas["SetUpStep"]

/** What a step says altogether: a tick stands for just that, so a step that has changed since is not ticked. */
const saying = (step: Step) => [step.words, ...step.settings].join("; ")

/** The set-up list: everything to plug, switch and open in the room, to tick off or to print. */
export function SetUpList({ sheets }: { sheets: ReactNode }) {
  const { state } = useRig()
  const { snag } = useSelection()
  const found = useQuery({
    queryKey: ["set-up", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Step[]>(
        client.GET("/api/rigs/{rig_id}/set-up-list", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const steps = useMemo(() => found.data ?? [], [found.data])
  const [ticks, tick] = useTicks(state.id)
  const [at, setAt] = useState(0)
  const here = Math.min(at, Math.max(0, steps.length - 1))
  const page = useRef<HTMLDivElement>(null)
  useEffect(() => {
    page.current?.querySelector(`[data-step="${here}"]`)?.scrollIntoView({ block: "nearest" })
  }, [here])
  const ticked = steps.filter((step) => ticks[step.key] === saying(step)).length
  useKeys(
    snag !== null
      ? []
      : [
          { keys: "ArrowDown", words: "Next step", run: () => setAt(Math.min(here + 1, steps.length - 1)) },
          { keys: "ArrowUp", words: "Step before", run: () => setAt(Math.max(here - 1, 0)) },
          {
            keys: " ",
            words: "Tick the step off",
            run: () => {
              const step = steps[here]
              if (step) tick(step)
            },
          },
        ],
  )
  const sections = [...new Set(steps.map((step) => step.section))]
  return (
    <PaperFrame
      label="Set-up list"
      page={page}
      left={
        <>
          <chakra.h2 textStyle="head" mb="6px">
            Set-up list
          </chakra.h2>
          <Box textStyle="cell" mb="10px" data-testid="ticked">
            <Figure>
              {ticked}/{steps.length}
            </Figure>{" "}
            done in the room
          </Box>
          {sections.map((section) => (
            <Flex key={section} textStyle="cell" justify="space-between" h="24px">
              <span>{section}</span>
              <Figure color="ink2">
                {steps.filter((step) => step.section === section && ticks[step.key] === saying(step)).length}/
                {steps.filter((step) => step.section === section).length}
              </Figure>
            </Flex>
          ))}
          <Box mt="14px" textStyle="cell" color="ink2">
            <Kbd>↑</Kbd> <Kbd>↓</Kbd> step, <Kbd>Space</Kbd> tick. Ticks are kept in this browser; a step that
            changes loses its tick.
          </Box>
          <Button mt="12px" mb="14px" onClick={() => window.print()} disabled={steps.length === 0}>
            Print <Kbd>Ctrl P</Kbd>
          </Button>
          {sheets}
        </>
      }
    >
      <Flex align="baseline" gap="10px" mb="6px" maxW="760px">
        <chakra.h1 textStyle="title">Set-up list · {state.rig.name}</chakra.h1>
        <Figure color="ink2">rev {state.revision}</Figure>
        <Figure color="ink2">{today()}</Figure>
      </Flex>
      <StillWrong />
      {found.data && steps.length === 0 && (
        <Box color="ink2" textStyle="cell">
          Nothing to set up yet: this list fills by itself as gear is added and patched.
        </Box>
      )}
      {sections.map((section) => (
        <chakra.section key={section} maxW="760px" mb="10px" css={{ breakInside: "auto" }}>
          <chakra.h2 textStyle="head" h="24px" lineHeight="24px" borderBottom="1px solid" borderColor="ink">
            {section}
          </chakra.h2>
          <chakra.ol listStyleType="none" m="0" p="0">
            {steps.map((step, index) =>
              step.section === section ? (
                <Row
                  key={step.key}
                  step={step}
                  number={index + 1}
                  on={index === here}
                  was={ticks[step.key]}
                  onChoose={() => setAt(index)}
                  onTick={() => tick(step)}
                />
              ) : null,
            )}
          </chakra.ol>
        </chakra.section>
      ))}
    </PaperFrame>
  )
}

/** What is wrong with the rig that this page is of: whoever walks with it must know. */
function StillWrong() {
  const { lines, snags, vitals } = useRig().state.survey
  const bad = snags.filter((snag) => snag.severity === "stop" || snag.severity === "trouble")
  return (
    <Box textStyle="cell" mb="10px" maxW="760px" aria-label="Still wrong" role="note">
      <span>
        {vitals.arriving} of {lines.length} lines arrive, {vitals.proved} proved.
      </span>
      {bad.length > 0 && (
        <Box as="ul" listStyleType="none" color="wax" _print={{ color: "black" }}>
          {bad.map((snag) => (
            <li key={snag.key}>
              <Mark severity={snag.severity} /> {snag.title}
            </li>
          ))}
        </Box>
      )}
    </Box>
  )
}

interface RowProps {
  step: Step
  number: number
  on: boolean
  was: string | undefined
  onChoose: () => void
  onTick: () => void
}

function Row({ step, number, on, was, onChoose, onTick }: RowProps) {
  const done = was === saying(step)
  const changed = was !== undefined && !done
  return (
    <Box
      as="li"
      data-step={number - 1}
      display="grid"
      gridTemplateColumns="22px 30px 1fr"
      alignItems="start"
      py="3px"
      pl="6px"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      bg={on ? "wash" : "transparent"}
      boxShadow={on ? "inset 3px 0 0 {colors.sea}" : changed ? "inset 3px 0 0 {colors.ink}" : "none"}
      css={{ breakInside: "avoid" }}
      _print={{ bg: "transparent", boxShadow: changed ? "inset 3px 0 0 {colors.ink}" : "none" }}
      onClick={onChoose}
    >
      <input
        type="checkbox"
        checked={done}
        onChange={onTick}
        aria-label={`Done: ${step.words}`}
        style={{ marginTop: 3 }}
      />
      <Figure color="ink2">{number}</Figure>
      <Flex wrap="wrap" columnGap="14px">
        <chakra.span fontWeight="600">{step.words}</chakra.span>
        {step.settings.map((setting) => (
          <chakra.span key={setting} color="ink2">
            {setting}
          </chakra.span>
        ))}
        {changed && <chakra.span color="ink2">changed since it was ticked</chakra.span>}
        {step.trouble && (
          <chakra.span color="wax">
            <Mark severity="trouble" label="trouble" /> {step.trouble}
          </chakra.span>
        )}
      </Flex>
    </Box>
  )
}

/** What has been ticked off, by step: what the step said when it was. */
function useTicks(rig: string): [Record<string, string>, (step: Step) => void] {
  const [kept, keep] = useSetting<string>(`ticks ${rig}`, "{}")
  const ticks = useMemo(() => parsed(kept), [kept])
  const tick = (step: Step) => {
    const others = Object.fromEntries(Object.entries(ticks).filter(([key]) => key !== step.key))
    const ticked = ticks[step.key] === saying(step)
    keep(JSON.stringify(ticked ? others : { ...others, [step.key]: saying(step) }))
  }
  return [ticks, tick]
}

function parsed(text: string): Record<string, string> {
  try {
    const found: unknown = JSON.parse(text)
    return typeof found === "object" && found !== null ? (found as Record<string, string>) : {}
  } catch {
    return {}
  }
}
