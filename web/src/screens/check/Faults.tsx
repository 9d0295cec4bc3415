import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { type KeyboardEvent, useState } from "react"

import { answer, client, type NowAfter as Trial, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"

type Fault = Schemas["Fault"]

const AREAS: [area: Fault["area"], words: string][] = [
  ["boxes", "Boxes"],
  ["clocks", "Clocks"],
  ["computer", "Computer"],
  ["supply", "Supply"],
  ["leads", "Leads"],
  ["mixers", "Mixers"],
  ["inserts", "Inserts"],
  ["outputs", "Output jacks"],
]

interface Props {
  on: ReadonlySet<string>
  onTurn: (key: string) => void
  onRun: (keys: string[]) => void
  onClose: () => void
  running: boolean
}

/** Where a key leads from a stop of a list whose first stop is the field that finds in it. */
function beside(key: string, stops: HTMLElement[], at: number): HTMLElement | undefined {
  const inList = at > 0
  if (key === "ArrowDown") return stops[at + 1]
  if (key === "ArrowUp" && inList) return stops[at - 1]
  if (key === "Home" && inList) return stops[1]
  if (key === "End" && inList) return stops.at(-1)
  return undefined
}

/** What could go wrong, switched on for one run: what the plan says of it, and the run that lets it be heard. */
export function Faults({ on, onTurn, onRun, onClose, running }: Props) {
  const { state } = useRig()
  const [wanted, setWanted] = useState("")
  const found = useQuery({
    queryKey: ["faults", state.id, state.revision],
    queryFn: () =>
      answer<Fault[]>(client.GET("/api/rigs/{rig_id}/faults", { params: { path: { rig_id: state.id } } })),
  })
  const faults = found.data ?? []
  const chosen = faults.filter((fault) => on.has(fault.key))
  const edits = chosen.flatMap((fault) => fault.edits)
  const start = () => onRun(chosen.map((fault) => fault.key))
  const trial = useQuery({
    queryKey: ["trial", state.id, state.revision, edits],
    enabled: edits.length > 0,
    retry: false,
    queryFn: () =>
      answer<Trial>(
        client.POST("/api/rigs/{rig_id}/trial", {
          params: { path: { rig_id: state.id } },
          body: { edits },
        }),
      ),
  })
  useKeys([
    { keys: "Escape", words: "Close", run: onClose, inFields: true },
    { keys: "Ctrl+Enter", words: "Run with these faults", run: start, inFields: true },
  ])
  /** Arrows go from the field through the list and back; Enter on a fault turns it as Space does. */
  const walk = (event: KeyboardEvent<HTMLElement>) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const target = event.target as HTMLElement
    const stops = [
      ...(target.closest("aside")?.querySelectorAll<HTMLElement>("[data-find], [data-fault]") ?? []),
    ]
    const next = beside(event.key, stops, stops.indexOf(target))
    const turned = event.key === "Enter" && target.dataset.fault !== undefined
    if (!next && !turned) return
    event.preventDefault()
    if (next) next.focus()
    else target.click()
  }
  const words = wanted.toLowerCase().split(/\s+/)
  const shown = faults.filter(
    (fault) => on.has(fault.key) || words.every((word) => fault.words.toLowerCase().includes(word)),
  )
  return (
    <Drawer title="Faults" note="for one run; the rig stays as it is" onClose={onClose}>
      <Flex p="8px 12px" gap="8px" align="center" flex="none" onKeyDown={walk}>
        <Input
          flex="1"
          autoFocus
          aria-label="Find a fault"
          data-find
          placeholder="Find: a box, a lead, polarity …"
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
        />
      </Flex>
      <Box flex="1" minH="0" overflow="auto" px="12px" tabIndex={0} onKeyDown={walk}>
        {found.data && faults.length === 0 && (
          <Box color="ink2" textStyle="cell">
            Nothing can go wrong yet: there is no box that a program opens, and no lead.
          </Box>
        )}
        {AREAS.map(([area, title]) => {
          const here = shown.filter((fault) => fault.area === area)
          return here.length === 0 ? null : (
            <chakra.fieldset key={area} mb="8px" border="none" p="0">
              <chakra.legend textStyle="head">{title}</chakra.legend>
              {here.map((fault) => (
                <chakra.label
                  key={fault.key}
                  display="flex"
                  gap="8px"
                  alignItems="flex-start"
                  textStyle="cell"
                  minH="24px"
                  py="2px"
                  _focusWithin={{ bg: "wash" }}
                >
                  <input
                    type="checkbox"
                    data-fault={fault.key}
                    checked={on.has(fault.key)}
                    onChange={() => onTurn(fault.key)}
                    style={{ marginTop: 3 }}
                  />
                  {fault.words}
                </chakra.label>
              ))}
            </chakra.fieldset>
          )
        })}
      </Box>
      <Box flex="none" p="12px" borderTop="1px dashed" borderColor="pencil" maxH="50%" overflow="auto">
        {edits.length === 0 ? (
          <Box color="ink2" textStyle="cell">
            Switch one or more on: what the plan says of it stands here, and a run lets you hear it.
          </Box>
        ) : trial.error ? (
          <Box color="wax" textStyle="cell">
            These do not go together: {trial.error.message}
          </Box>
        ) : (
          trial.data && <NowAfter trial={trial.data} />
        )}
        <Button mt="8px" variant="ink" onClick={start} disabled={running || chosen.length === 0}>
          Run with {chosen.length} {chosen.length === 1 ? "fault" : "faults"}{" "}
          <Kbd borderColor="currentColor" color="inherit">
            Ctrl Enter
          </Kbd>
        </Button>
      </Box>
    </Drawer>
  )
}
