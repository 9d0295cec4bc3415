import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"
import { useOnceSeen } from "../../parts/seen"

/** The smallest changes that make every silent or blocked line arrive, shown before they are made. */
export function Plan({ onClose }: { onClose: () => void }) {
  const { state, edit } = useRig()
  const plan = useQuery({
    queryKey: ["plan", state.id, state.revision],
    queryFn: () =>
      answer<Schemas["WholePlan"] | null>(
        client.GET("/api/rigs/{rig_id}/plan", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const { press: apply } = useOnceSeen(plan.data, (seen) => {
    void edit(seen.edits).then((kept) => kept && onClose())
  })
  const silent = state.survey.lines.filter((line) =>
    ["silent", "half silent", "blocked"].includes(line.headline),
  )
  const stuck = silent.length
  useKeys([
    { keys: "Escape", words: "Close the plan", run: onClose, inFields: true },
    { keys: "Ctrl+Enter", words: "Make the plan", run: apply, inFields: true },
  ])
  return (
    <Drawer title="Plan" note="the smallest changes" onClose={onClose}>
      <Flex direction="column" gap="8px" p="12px" overflowY="auto" flex="1" minH="0">
        {plan.isLoading && <Box color="ink2">Working it out…</Box>}
        {plan.error && <Box color="wax">{plan.error.message}</Box>}
        {plan.data === null && (
          <Box color="ink2">
            {state.survey.lines.length === 0
              ? "No line is wanted yet, so there is nothing to plan."
              : stuck === 0
                ? "Every line has its way; what else is wrong stands among the snags."
                : `For ${stuck === 1 ? "one line" : `${stuck} lines`} no list of changes that Iskelo knows joins both ends: every jack, channel, driver and crosspoint there is was tried.`}
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
            <NowAfter trial={plan.data.trial} />
            <LeftOver lines={plan.data.left ?? []} />
          </>
        )}
      </Flex>
      <Flex gap="8px" p="12px" flex="none" borderTop="1px solid" borderColor="rule">
        {plan.data && (
          <Button variant="ink" onClick={apply}>
            Apply{" "}
            <Kbd borderColor="onSea" color="onSea">
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

/** What stays silent all the same, by why. */
function LeftOver({ lines }: { lines: Schemas["Left"][] }) {
  if (lines.length === 0) return null
  const by = new Map<string, string[]>()
  for (const { name, why } of lines) by.set(why, [...(by.get(why) ?? []), name])
  return (
    <chakra.section textStyle="cell" aria-label="Left over">
      <chakra.h3 textStyle="head">
        {lines.length === 1 ? "One line stays silent" : `${lines.length} lines stay silent`}
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
