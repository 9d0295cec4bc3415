import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useMemo, useRef, useState, type ReactNode } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { useSelection } from "../../parts/selection"
import { useSetting } from "../../parts/settings"
import { PaperFrame } from "./PaperFrame"
import { Files } from "./SheetPage"
import { today } from "./today"

type Step = Schemas["TickedStep"]

/** The set-up list: everything to plug, switch and open in the room, to tick off or to print. */
export function SetUpList({ sheets }: { sheets: ReactNode }) {
  const { state, say } = useRig()
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
  const [by, setBy] = useSetting<string>("ticked by", "")
  const cache = useQueryClient()
  const ticking = useMutation({
    mutationFn: (step: Step) =>
      answer<Step[]>(
        client.PUT("/api/rigs/{rig_id}/ticks", {
          params: { path: { rig_id: state.id } },
          body: { step: step.key, says: step.says, done: !step.done, by: by.trim() },
        }),
      ),
    onSuccess: (steps) => cache.setQueryData(["set-up", state.id, state.revision], steps),
    onError: (error: Error) => say(error.message),
  })
  const tick = ticking.mutate
  const [at, setAt] = useState(0)
  const here = Math.min(at, Math.max(0, steps.length - 1))
  const page = useRef<HTMLDivElement>(null)
  useEffect(() => {
    page.current?.querySelector(`[data-step="${here}"]`)?.scrollIntoView({ block: "nearest" })
  }, [here])
  const ticked = steps.filter((step) => step.done).length
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
  const [paper] = useSetting<string>("paper", "A4")
  const file = (form: string) =>
    `/api/rigs/${state.id}/sheet-file?${new URLSearchParams({ key: "set-up", form, paper, date: today() })}`
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
                {steps.filter((step) => step.section === section && step.done).length}/
                {steps.filter((step) => step.section === section).length}
              </Figure>
            </Flex>
          ))}
          <Box mt="14px" textStyle="cell" color="ink2">
            <Kbd>↑</Kbd> <Kbd>↓</Kbd> step, <Kbd>Space</Kbd> tick. Ticks are kept with the rig; a step that
            changes loses its tick until undo brings it back.
          </Box>
          <Flex as="label" mt="8px" gap="6px" align="center" textStyle="cell" whiteSpace="nowrap">
            Ticked by
            <Input
              w="100%"
              aria-label="Ticked by"
              placeholder="a name, if you like"
              maxLength={80}
              value={by}
              onChange={(event) => setBy(event.target.value)}
            />
          </Flex>
          <Button mt="12px" mb="14px" onClick={() => window.print()} disabled={steps.length === 0}>
            Print <Kbd>Ctrl P</Kbd>
          </Button>
          {sheets}
          <Walkers />
        </>
      }
    >
      <Flex align="baseline" gap="10px" mb="6px" maxW="760px">
        <chakra.h1 textStyle="title">Set-up list · {state.rig.name}</chakra.h1>
        <Figure color="ink2">rev {state.revision}</Figure>
        <Figure color="ink2">{today()}</Figure>
        <Box flex="1" />
        <Flex _print={{ display: "none" }}>
          <Files of={file} />
        </Flex>
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
  onChoose: () => void
  onTick: () => void
}

function Row({ step, number, on, onChoose, onTick }: RowProps) {
  const { done, changed } = step
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
        {done && step.by && <chakra.span color="ink2">done by {step.by}</chakra.span>}
        {changed && <chakra.span color="ink2">changed since it was ticked</chakra.span>}
        {step.trouble && (
          <chakra.span color="wax">
            <Mark severity="trouble" label="trouble" /> {step.trouble}
          </chakra.span>
        )}
        {(step.why || step.see) && (
          <Box w="100%" color="ink2">
            {step.why}
            {step.why && step.see && " · "}
            {step.see && <>to see: {step.see}</>}
          </Box>
        )}
      </Flex>
    </Box>
  )
}

/** Where a telephone finds the list, and whether it may tick. */
function Walkers() {
  const { state, say } = useRig()
  const cache = useQueryClient()
  const path = { rig_id: state.id }
  const key = ["walkers", state.id]
  const found = useQuery({
    queryKey: key,
    queryFn: () => answer<Schemas["Walkers"]>(client.GET("/api/rigs/{rig_id}/walkers", { params: { path } })),
  })
  const allow = useMutation({
    mutationFn: (may_tick: boolean) =>
      answer<Schemas["Walkers"]>(
        client.PUT("/api/rigs/{rig_id}/walkers", { params: { path }, body: { may_tick } }),
      ),
    onSuccess: (walkers) => cache.setQueryData(key, walkers),
    onError: (error: Error) => say(error.message),
  })
  const walkers = found.data
  if (!walkers) return null
  return (
    <Box mt="10px" textStyle="cell" role="group" aria-label="Walk with a telephone">
      <chakra.h3 textStyle="head">Walk with a telephone</chakra.h3>
      {walkers.addresses.length === 0 ? (
        <Box color="ink2">
          This server answers this computer alone. Started as <code>./iskelo start --walk</code> it shows this
          list, and nothing else, in the network around.
        </Box>
      ) : (
        walkers.addresses.map((address) => (
          <Box key={address} wordBreak="break-all">
            {address}
          </Box>
        ))
      )}
      <label>
        <input
          type="checkbox"
          checked={walkers.may_tick}
          onChange={(event) => allow.mutate(event.target.checked)}
        />{" "}
        may tick steps off
      </label>{" "}
      <chakra.a href={`/walk/${state.id}`} target="_blank" color="sea" fontWeight="600">
        See that page
      </chakra.a>
    </Box>
  )
}
