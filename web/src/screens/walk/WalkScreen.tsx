import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"
import { useParams } from "react-router"

import { answer, client, Problem, type Schemas } from "../../api/client"
import { Figure, Input } from "../../parts/controls"
import { Mark } from "../../parts/Mark"
import { useSetting } from "../../parts/settings"

type Walk = Schemas["Walk"]
type Step = Walk["steps"][number]

const LOOK_MS = 3000

/** The set-up list for whoever walks with a telephone: large to touch, one column, what is left to do. */
export function WalkScreen() {
  const rig = useParams().rigId ?? ""
  const path = { rig_id: rig }
  const key = ["walk", rig]
  const cache = useQueryClient()
  const [by, setBy] = useSetting<string>("ticked by", "")
  const [left, setLeft] = useState(false)
  const [problem, setProblem] = useState<string | null>(null)
  const found = useQuery({
    queryKey: key,
    queryFn: () => answer<Walk>(client.GET("/api/rigs/{rig_id}/walk", { params: { path } })),
    refetchInterval: LOOK_MS,
    retry: false,
  })
  const tick = useMutation({
    mutationFn: (step: Step) =>
      answer<Walk>(
        client.PUT("/api/rigs/{rig_id}/walk/ticks", {
          params: { path },
          body: { step: step.key, says: step.says, done: !step.done, by: by.trim() },
        }),
      ),
    onSuccess: (walk) => {
      cache.setQueryData(key, walk)
      setProblem(null)
    },
    onError: (error: Error) => {
      setProblem(error.message)
      void cache.invalidateQueries({ queryKey: key })
    },
  })
  const walk = found.data
  const gone = found.error instanceof Problem && found.error.status === 404
  const away = found.error && !gone
  if (gone || !walk)
    return (
      <Box p="16px" role={found.error ? "alert" : undefined}>
        {gone ? "There is no such rig here; it may have been removed." : (found.error?.message ?? "Looking…")}
      </Box>
    )
  const done = walk.steps.filter((step) => step.done).length
  const shown = left ? walk.steps.filter((step) => !step.done) : walk.steps
  const sections = [...new Set(shown.map((step) => step.section))]
  return (
    <Box h="100%" overflowY="auto" bg="paper">
      <Box
        position="sticky"
        top="0"
        bg="sheet"
        borderBottom="1px solid"
        borderColor="edge"
        p="10px 12px"
        zIndex="2"
      >
        <Flex align="baseline" gap="10px">
          <chakra.h1
            textStyle="title"
            flex="1"
            minW="0"
            overflow="hidden"
            textOverflow="ellipsis"
            whiteSpace="nowrap"
          >
            {walk.name}
          </chakra.h1>
          <Figure color="ink2">rev {walk.revision}</Figure>
        </Flex>
        <Flex align="center" gap="12px" wrap="wrap" mt="4px">
          <Box data-testid="walked">
            <Figure>
              {done}/{walk.steps.length}
            </Figure>{" "}
            done
          </Box>
          <label>
            <input type="checkbox" checked={left} onChange={(event) => setLeft(event.target.checked)} /> only
            what is left
          </label>
          {!walk.may_tick && <Box color="ink2">to look at only</Box>}
        </Flex>
        {walk.may_tick && (
          <Input
            mt="6px"
            w="100%"
            h="32px"
            aria-label="Ticked by"
            placeholder="Your name, if you like"
            maxLength={80}
            value={by}
            onChange={(event) => setBy(event.target.value)}
          />
        )}
        {(problem ?? (away ? "The computer does not answer; what stands here may be old." : null)) && (
          <Box role="alert" color="wax" mt="6px">
            {problem ?? "The computer does not answer; what stands here may be old."}
          </Box>
        )}
      </Box>
      {walk.steps.length > 0 && shown.length === 0 && <Box p="16px">Everything is done.</Box>}
      {walk.steps.length === 0 && <Box p="16px">There is nothing to set up yet.</Box>}
      {sections.map((section) => (
        <chakra.section key={section}>
          <chakra.h2 textStyle="head" p="10px 12px 4px" borderBottom="1px solid" borderColor="ink">
            {section}
          </chakra.h2>
          <chakra.ol listStyleType="none" m="0" p="0">
            {shown
              .filter((step) => step.section === section)
              .map((step) => (
                <WalkedStep
                  key={step.key}
                  step={step}
                  may={walk.may_tick}
                  busy={tick.isPending}
                  onTick={() => tick.mutate(step)}
                />
              ))}
          </chakra.ol>
        </chakra.section>
      ))}
    </Box>
  )
}

function WalkedStep(props: { step: Step; may: boolean; busy: boolean; onTick: () => void }) {
  const { step } = props
  return (
    <Box
      as="li"
      borderBottom="1px solid"
      borderColor="rule"
      bg={step.done ? "sunk" : "sheet"}
      boxShadow={step.changed ? "inset 4px 0 0 {colors.ink}" : undefined}
    >
      <Flex as="label" gap="12px" p="10px 12px" minH="48px" align="flex-start">
        <input
          type="checkbox"
          checked={step.done}
          disabled={!props.may || props.busy}
          onChange={props.onTick}
          aria-label={`Done: ${step.words}`}
          style={{ width: 24, height: 24, flex: "none" }}
        />
        <Box minW="0">
          <b>{step.words}</b>
          {step.settings.map((setting) => (
            <Box key={setting}>{setting}</Box>
          ))}
          {step.trouble && (
            <Box color="wax">
              <Mark severity="trouble" label="trouble" /> {step.trouble}
            </Box>
          )}
          {step.changed && <Box fontWeight="600">changed since it was ticked</Box>}
          {step.why && <Box color="ink2">{step.why}</Box>}
          {step.see && <Box color="ink2">to see: {step.see}</Box>}
          {step.done && step.by && <Box color="ink2">done by {step.by}</Box>}
        </Box>
      </Flex>
    </Box>
  )
}
