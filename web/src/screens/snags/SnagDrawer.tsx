import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type Schemas, type SnagView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { NowAfter } from "../../parts/NowAfter"
import { useShown, WORKED_OUT } from "../../parts/seen"
import { useSelection } from "../../parts/selection"
import { harmed, sayLines } from "./harmed"

/** Everything found wrong, worst first, over any place; a chosen snag shows its remedies, each with Now and After. */
export function SnagDrawer() {
  const { state, edit } = useRig()
  const { snag, openSnags, chooseLine } = useSelection()
  const { snags, lines } = state.survey
  const found = snags.findIndex((each) => each.key === snag)
  const at = found < 0 ? 0 : found
  const current = snags[at]
  const [choice, setChoice] = useState({ key: "", number: 0 })
  const remedies = useQuery({
    queryKey: ["remedies", state.id, state.revision, current?.key],
    enabled: !!current,
    queryFn: () =>
      answer<Schemas["Remedies"]>(
        client.GET("/api/rigs/{rig_id}/remedies", {
          params: { path: { rig_id: state.id }, query: { snag: current?.key ?? "" } },
        }),
      ),
  })
  const tried = remedies.data?.remedies ?? []
  const count = tried.length
  const acts = tried.filter((each) => !each.fact).length
  const number = choice.key === current?.key ? Math.min(choice.number, Math.max(0, count - 1)) : 0
  const remedy = tried[number]
  const pick = (step: number) => {
    const next = snags[Math.max(0, Math.min(snags.length - 1, at + step))]
    if (next) openSnags(next.key)
  }
  const turn = (step: number) =>
    current && setChoice({ key: current.key, number: Math.max(0, Math.min(count - 1, number + step)) })
  const apply = useShown(
    remedy,
    (shown) => edit(shown.edits).then((kept) => kept && openSnags("")),
    !current || remedies.isSuccess ? "there is no remedy here." : WORKED_OUT,
  )
  useKeys([
    { keys: "Escape", words: "Close the snags", run: () => openSnags(null) },
    { keys: "ArrowDown", words: "Next snag", run: () => pick(1) },
    { keys: "ArrowUp", words: "Snag before", run: () => pick(-1) },
    { keys: "ArrowRight", words: "Next remedy", run: () => turn(1) },
    { keys: "ArrowLeft", words: "Remedy before", run: () => turn(-1) },
    { keys: "Ctrl+Enter", words: "Apply the remedy", run: apply, inFields: true },
  ])
  return (
    <Drawer title="Snags" note={`${snags.length}, worst first`} onClose={() => openSnags(null)}>
      {snags.length === 0 && (
        <Box p="12px" color="ink2">
          <b>Nothing found.</b> Every line was traced, every input, track and output looked at. What no plan
          can show (a broken lead, a wrong knob) is for your ears.
        </Box>
      )}
      <Box flex="1" minH="120px" overflowY="auto" role="listbox" aria-label="Snags, worst first">
        {snags.map((each, index) => (
          <Row
            key={each.key}
            snag={each}
            harms={harmed(each, lines).length}
            chosen={index === at}
            onChoose={() => {
              openSnags(each.key)
              const line = harmed(each, lines)[0] ?? each.lines[0]
              if (line) chooseLine(line)
            }}
          />
        ))}
      </Box>
      {current && (
        <Box
          flex="none"
          maxH="62%"
          overflowY="auto"
          borderTop="1px solid"
          borderColor="edge"
          p="12px"
          aria-live="polite"
        >
          <Box textStyle="cell" mb="4px">
            {current.evidence}
          </Box>
          <Box textStyle="cell" color="ink2" mb="8px">
            {current.consequence}
          </Box>
          {current.follows.length > 0 && (
            <Box textStyle="cell" mb="8px" aria-label="What follows from it">
              <chakra.span color="ink2">1 cause → {sayLines(harmed(current, lines).length)}</chakra.span>
              {current.follows.slice(0, 5).map((words) => (
                <Box key={words} pl="12px">
                  {words}
                </Box>
              ))}
              {current.follows.length > 5 && <Box pl="12px">and {current.follows.length - 5} more</Box>}
            </Box>
          )}
          {remedies.isLoading && <Box color="ink2">Working out remedies…</Box>}
          {remedies.data && count === 0 && <Box color="ink2">{sayNone(remedies.data)}</Box>}
          {remedy && (
            <>
              <Flex align="center" gap="6px" mb="4px">
                <chakra.h3 textStyle="head">
                  {remedy.fact ? "If it is really so" : `Remedy ${number + 1} of ${acts}`}
                </chakra.h3>
                <Box flex="1" />
                {count > 1 && (
                  <>
                    <Button
                      size="row"
                      variant="quiet"
                      aria-label="Remedy before"
                      onClick={() => turn(-1)}
                      disabled={number === 0}
                    >
                      ‹
                    </Button>
                    <Button
                      size="row"
                      variant="quiet"
                      aria-label="Next remedy"
                      onClick={() => turn(1)}
                      disabled={number === count - 1}
                    >
                      ›
                    </Button>
                  </>
                )}
              </Flex>
              {acts === 0 && number === 0 && (
                <Box color="ink2" mb="4px">
                  Nothing that Iskelo could do for you mends this. The rig may say it wrongly:
                </Box>
              )}
              <Box fontWeight="600" mb="6px">
                {remedy.words}
              </Box>
              <NowAfter trial={remedy.trial} />
              <Flex mt="8px" gap="8px">
                <Button variant="ink" onClick={apply}>
                  {remedy.fact ? "Say so" : "Apply"}{" "}
                  <Kbd borderColor="currentColor" color="inherit">
                    Ctrl Enter
                  </Kbd>
                </Button>
                <Button variant="quiet" onClick={() => openSnags(null)}>
                  Back <Kbd>Esc</Kbd>
                </Button>
              </Flex>
            </>
          )}
        </Box>
      )}
    </Drawer>
  )
}

/** That nothing was found, and among how much: never that there is nothing. */
function sayNone({ tried, kinds }: Schemas["Remedies"]): string {
  if (!tried) return "Iskelo knows no act that mends this."
  const changes = tried === 1 ? "1 change" : `${tried} changes`
  return `No act that mends this was found among ${changes} tried: ${(kinds ?? []).join(", ")}.`
}

interface RowProps {
  snag: SnagView
  /** How many lines are not as they are wanted because of it. */
  harms: number
  chosen: boolean
  onChoose: () => void
}

function Row({ snag, harms, chosen, onChoose }: RowProps) {
  return (
    <Flex
      role="option"
      aria-selected={chosen}
      minH="40px"
      px="12px"
      py="4px"
      gap="8px"
      align="center"
      cursor="pointer"
      bg={chosen ? "wash" : "sheet"}
      boxShadow={chosen ? "inset 3px 0 0 {colors.sea}" : undefined}
      borderBottom="1px solid"
      borderColor="rule"
      _hover={{ bg: chosen ? "wash" : "sunk" }}
      onClick={onChoose}
      ref={(row: HTMLDivElement | null) => {
        if (chosen) row?.scrollIntoView({ block: "nearest" })
      }}
    >
      <Mark severity={snag.severity} />
      <Box textStyle="cell">
        {snag.title}
        {harms > 1 && <chakra.span color="ink2"> · {sayLines(harms)}</chakra.span>}
      </Box>
    </Flex>
  )
}
