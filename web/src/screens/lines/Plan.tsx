import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type Schemas, type State } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"
import { useShown, WORKED_OUT } from "../../parts/seen"

const STUCK = ["silent", "half silent", "blocked"]

/**
 * The smallest changes that make every silent or blocked line arrive, shown before they are made; if it is wished, with
 * the remedies that mend all the others.
 */
export function Plan({ onClose }: { onClose: () => void }) {
  const { state, edit } = useRig()
  const silent = state.survey.lines.filter((line) => STUCK.includes(line.headline))
  const wrong = state.survey.lines.filter(
    (line) => line.headline !== "arrives" && !STUCK.includes(line.headline),
  )
  const stuck = silent.length
  // What is asked for until somebody says otherwise: what is silent, or where nothing is, all the rest.
  const [asked, ask] = useState<boolean | null>(null)
  const rest = asked ?? (stuck === 0 && wrong.length > 0)
  const plan = useQuery({
    queryKey: ["plan", state.id, state.revision, rest],
    queryFn: () =>
      answer<Schemas["Plan"] | null>(
        client.GET("/api/rigs/{rig_id}/plan", { params: { path: { rig_id: state.id }, query: { rest } } }),
      ),
  })
  const apply = useShown(
    plan.data,
    (shown) => edit(shown.edits).then((kept) => kept && onClose()),
    plan.isSuccess ? "the plan has nothing to make." : WORKED_OUT,
  )
  useKeys([
    { keys: "Escape", words: "Close the plan", run: onClose, inFields: true },
    { keys: "Ctrl+Enter", words: "Make the plan", run: apply, inFields: true },
    ...(wrong.length > 0
      ? [{ keys: "a", words: "Mend the lines that are not silent too", run: () => ask(!rest) }]
      : []),
  ])
  return (
    <Drawer title="Plan" note="the smallest changes" onClose={onClose}>
      <Flex direction="column" gap="8px" p="12px" overflowY="auto" flex="1" minH="0">
        {wrong.length > 0 && (
          <chakra.label textStyle="cell" display="flex" gap="6px" alignItems="center">
            <input type="checkbox" checked={rest} onChange={() => ask(!rest)} />
            <span>
              and mend what is {kinds(wrong)} <Kbd>a</Kbd>
            </span>
          </chakra.label>
        )}
        {plan.isLoading && <Box color="ink2">Working it out…</Box>}
        {plan.error && <Box color="wax">{plan.error.message}</Box>}
        {plan.data === null && (
          <Box color="ink2">
            {state.survey.lines.length === 0
              ? "No line is wanted yet, so there is nothing to plan."
              : stuck === 0 && wrong.length > 0
                ? "Every line has its way; no remedy that Iskelo knows mends the others without harm."
                : stuck === 0
                  ? "Every line has its way; what else is wrong stands among the snags."
                  : `For ${stuck === 1 ? "one line" : `${stuck} lines`} Iskelo finds no list of changes that joins both ends. It tries jacks, channels, drivers and crosspoints that are there; what it left out, and gear that you could add, may do it.`}
          </Box>
        )}
        {plan.data === null && (
          <LeftOver lines={silent.map(({ id, name, told }) => ({ line: id, name, why: told }))} />
        )}
        {plan.data && (
          <>
            {plan.data.steps.map(({ gear, steps }) => (
              <chakra.section key={gear} textStyle="cell" aria-label={`Steps at ${gear}`}>
                <chakra.h3 textStyle="head">
                  {gear} · {steps.length} {steps.length === 1 ? "step" : "steps"}
                </chakra.h3>
                <chakra.ol pl="20px" listStyleType="decimal">
                  {steps.map((step) => (
                    <li key={step}>{step}</li>
                  ))}
                </chakra.ol>
              </chakra.section>
            ))}
            {plan.data.rest.length > 0 && (
              <chakra.section textStyle="cell" aria-label="Remedies">
                <chakra.h3 textStyle="head">
                  {plan.data.rest.length === 1 ? "One remedy" : `${plan.data.rest.length} remedies`}, one
                  after the other
                </chakra.h3>
                <chakra.ol pl="20px" listStyleType="decimal">
                  {plan.data.rest.map((step) => (
                    <li key={step}>{step}</li>
                  ))}
                </chakra.ol>
              </chakra.section>
            )}
            <NowAfter trial={plan.data.trial} />
            <LeftOver lines={plan.data.left ?? []} rest={rest} />
          </>
        )}
      </Flex>
      <Flex gap="8px" p="12px" flex="none" borderTop="1px solid" borderColor="rule">
        {plan.data && (
          <Button variant="ink" onClick={apply}>
            Apply{" "}
            <Kbd borderColor="currentColor" color="inherit">
              Ctrl Enter
            </Kbd>
          </Button>
        )}
        <Button variant="quiet" onClick={onClose}>
          Back <Kbd>Esc</Kbd>
        </Button>
      </Flex>
    </Drawer>
  )
}

/** Of lines in trouble: what they are, each kind once. */
function kinds(lines: State["survey"]["lines"]): string {
  const each = [...new Set(lines.map(({ headline }) => headline))]
  const words = each.length > 1 ? `${each.slice(0, -1).join(", ")} or ${each[each.length - 1]}` : each.join()
  return `${words}: ${lines.length === 1 ? "one line" : `${lines.length} lines`}`
}

/** What stays silent all the same, by why; with `rest` all that is not as it is wanted. */
function LeftOver({ lines, rest = false }: { lines: Schemas["Left"][]; rest?: boolean }) {
  if (lines.length === 0) return null
  const by = new Map<string, string[]>()
  for (const { name, why } of lines) by.set(why, [...(by.get(why) ?? []), name])
  return (
    <chakra.section textStyle="cell" aria-label="Left over">
      <chakra.h3 textStyle="head">
        {lines.length === 1 ? "One line stays" : `${lines.length} lines stay`}{" "}
        {rest ? "in trouble" : "silent"}
      </chakra.h3>
      <ul>
        {[...by].map(([why, names]) => (
          <li key={why}>
            {names.length > 3
              ? `${names[0]} … ${names[names.length - 1]} (${names.length})`
              : names.join(", ")}
            : {why}
          </li>
        ))}
      </ul>
    </chakra.section>
  )
}
