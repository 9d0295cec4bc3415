import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"
import { useNavigate } from "react-router"

import { answer, client, type Edit, type Interface, type NowAfter as Trial } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"
import { useShown, WORKED_OUT } from "../../parts/seen"
import { useSelection } from "../../parts/selection"
import { Budgets } from "./Budgets"
import { ClockTree } from "./ClockTree"
import { Computer } from "./Computer"
import type { LadderView } from "../../api/client"
import { Ladder } from "./Ladder"
import { Programs } from "./Programs"
import { SyncPart } from "./SyncPart"

/** Rates, buffers and delays; stepping on the ladder tries a buffer before it is made. */
export function TimingScreen() {
  const { state, edit, say } = useRig()
  const { snag, chooseLine } = useSelection()
  const [program, setProgram] = useState<string | null>(null)
  const [tried, setTried] = useState<number | null>(null)
  const [settled, setSettled] = useState<Edit[] | null>(null)
  const [triedDriver, setTriedDriver] = useState<string | null>(null)
  const [climbing, setClimbing] = useState(false)
  const [budgets, setBudgets] = useState(false)
  const go = useNavigate()
  const found = useQuery({
    queryKey: ["ladders", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<LadderView[]>(
        client.GET("/api/rigs/{rig_id}/ladders", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const ladders = found.data ?? []
  const at = Math.max(
    0,
    ladders.findIndex((each) => each.program === program),
  )
  const current = ladders[at]
  // The buffer as the rig has it: the ladder may be that of a moment ago.
  const drivers = state.rig.gear.flatMap((gear): { id: string; buffer_samples: number | null }[] =>
    gear.kind === "interface"
      ? gear.drivers
      : gear.kind === "aggregate" || gear.kind === "program"
        ? [gear]
        : [],
  )
  const buffer =
    drivers.find((each) => each.id === current?.driver)?.buffer_samples ?? current?.buffer_samples ?? null
  const edits = settled ?? triedEdits(current, tried !== buffer ? tried : null, triedDriver)
  const change = edits !== null
  const trial = useQuery({
    queryKey: ["trial", state.id, state.revision, edits],
    enabled: edits !== null,
    queryFn: () =>
      answer<Trial>(
        client.POST("/api/rigs/{rig_id}/trial", {
          params: { path: { rig_id: state.id } },
          body: { edits: edits ?? [] },
        }),
      ),
  })
  const untry = () => {
    setTried(null)
    setTriedDriver(null)
    setSettled(null)
  }
  const press = useShown(
    change ? trial.data : undefined,
    () => edit(edits ?? []).then((kept) => kept && untry()),
    change ? (trial.error?.message ?? WORKED_OUT) : "no trial stands here.",
  )
  const discard = () => {
    untry()
    setClimbing(false)
  }
  /** A delay that was measured or is reported: what it says of the driver is shown before it is taken. */
  const settle = async (found: Promise<Edit[]>): Promise<boolean> => {
    try {
      const edits = await found
      say(null)
      untry()
      setSettled(edits)
      return true
    } catch (problem) {
      say(problem instanceof Error ? problem.message : String(problem))
      return false
    }
  }
  const params = { path: { rig_id: state.id } }
  const measure = async (round_trip_samples: number) => {
    if (!current) return false
    const body = { driver: current.driver, round_trip_samples }
    return settle(answer<Edit[]>(client.POST("/api/rigs/{rig_id}/round-trip", { params, body })))
  }
  const report = async (in_samples: number, out_samples: number) => {
    if (!current) return false
    const body = { driver: current.driver, in_samples, out_samples }
    return settle(answer<Edit[]>(client.POST("/api/rigs/{rig_id}/reported", { params, body })))
  }
  const climb = (step: number) => {
    if (!current) return
    const sizes = current.rungs.map((rung) => rung.buffer_samples)
    const from = sizes.indexOf(tried ?? buffer ?? current.buffer_samples)
    untry()
    setTried(sizes[Math.max(0, Math.min(sizes.length - 1, from + step))] ?? null)
  }
  const walk = (step: number) => {
    const next = ladders[Math.max(0, Math.min(ladders.length - 1, at + step))]
    untry()
    if (next) setProgram(next.program)
  }
  const toLadder = () => {
    setBudgets(false)
    setClimbing(true)
  }
  useKeys([
    { keys: "e", words: "Step on the ladder", run: toLadder },
    {
      keys: "b",
      words: budgets ? "The ladder of buffers" : "Delay budgets of all lines",
      run: () => setBudgets((on) => !on),
    },
    ...(snag !== null
      ? []
      : [
          {
            keys: "ArrowUp",
            words: climbing ? "Smaller buffer" : "Program before",
            run: () => (climbing ? climb(-1) : walk(-1)),
          },
          {
            keys: "ArrowDown",
            words: climbing ? "Larger buffer" : "Next program",
            run: () => (climbing ? climb(1) : walk(1)),
          },
          { keys: "Ctrl+Enter", words: "Make the trial", run: press, inFields: true },
          { keys: "Escape", words: "Discard the trial", run: discard },
        ]),
  ])
  const boxes = state.rig.gear.filter((gear): gear is Interface => gear.kind === "interface")
  return (
    <Flex direction="column" h="100%">
      <Flex h="bar" flex="none" align="center" px="12px" gap="12px">
        {change ? (
          <chakra.span color="pencil" fontWeight="600">
            Trial: {settled ? "a delay that is known" : triedDriver ? "another driver" : `buffer ${tried}`}
          </chakra.span>
        ) : (
          <chakra.span color="ink2">Trial: none</chakra.span>
        )}
        <Box flex="1" />
        <Button variant="quiet" aria-pressed={budgets} onClick={() => setBudgets((on) => !on)}>
          {budgets ? "Ladder" : "Delay budgets"} <Kbd>b</Kbd>
        </Button>
        <Button variant="quiet" onClick={toLadder} disabled={!current}>
          Step on the ladder <Kbd>e</Kbd>
        </Button>
        <Button variant="quiet" onClick={discard} disabled={!change}>
          Discard <Kbd>Esc</Kbd>
        </Button>
      </Flex>
      <Flex flex="none" maxH="40%" minH="120px" borderTop="1px solid" borderColor="edge">
        <Box
          w="clamp(250px, 26vw, 330px)"
          flex="none"
          borderRight="1px solid"
          borderColor="rule"
          overflow="auto"
        >
          <Head>Clocks and rates</Head>
          {boxes.length === 0 && <Nothing>No interface yet.</Nothing>}
          <ClockTree boxes={boxes} />
          <Head>Computer and recording</Head>
          <Computer />
        </Box>
        <Box flex="1" minW="0" overflow="auto">
          <Programs ladders={ladders} at={current ? at : -1} onChoose={setProgram} />
          {found.data && ladders.length === 0 && <NoDevice />}
          <SyncPart />
        </Box>
      </Flex>
      {budgets && (
        <Budgets
          onLine={(line) => {
            chooseLine(line)
            void go(`/rigs/${state.id}/lines`)
          }}
        />
      )}
      {current && !budgets && (
        <Ladder
          ladder={current}
          tried={change && !triedDriver ? tried : null}
          triedDriver={triedDriver}
          climbing={climbing}
          onTry={(size) => {
            setClimbing(true)
            untry()
            setTried(size)
          }}
          onMeasured={measure}
          onReported={report}
          onTryDriver={(driver) => {
            untry()
            setTriedDriver(current.ways.find((each) => each.driver === driver)?.now ? null : driver)
          }}
        />
      )}
      {change && (
        <Box flex="none" px="12px" py="8px" borderTop="1px dashed" borderColor="pencil" bg="pencilWash">
          <Flex gap="16px" align="flex-start">
            <Box flex="1" maxW="760px" maxH="180px" overflowY="auto" tabIndex={0}>
              {trial.data ? <NowAfter trial={trial.data} /> : <Box color="pencil">Working out…</Box>}
            </Box>
            <Button variant="ink" onClick={press}>
              Apply{" "}
              <Kbd borderColor="currentColor" color="inherit">
                Ctrl Enter
              </Kbd>
            </Button>
          </Flex>
        </Box>
      )}
    </Flex>
  )
}

/** The edits of what is tried: another driver of the program's device, or another buffer. */
function triedEdits(
  ladder: LadderView | undefined,
  buffer: number | null,
  driver: string | null,
): Edit[] | null {
  if (!ladder) return null
  const way = ladder.ways.find((each) => each.driver === driver)
  if (way) return way.edits
  return buffer === null ? null : [{ edit: "set", item: ladder.driver, values: { buffer_samples: buffer } }]
}

function Head({ children }: { children: React.ReactNode }) {
  return (
    <chakra.h2
      textStyle="head"
      h="26px"
      lineHeight="26px"
      px="12px"
      position="sticky"
      top="0"
      bg="paper"
      borderBottom="1px solid"
      borderColor="rule"
    >
      {children}
    </chakra.h2>
  )
}

const Nothing = chakra("div", { base: { p: "12px", color: "ink2", textStyle: "cell" } })

function NoDevice() {
  const { state } = useRig()
  const { openSnags } = useSelection()
  const bare = state.survey.snags.find((snag) => snag.rule === "program-without-device")
  return (
    <Nothing>
      <b>No program has a device.</b> Give one a device on Gear
      {bare && (
        <>
          , or{" "}
          <Button size="row" variant="link" onClick={() => openSnags(bare.key)}>
            see the remedy
          </Button>
        </>
      )}
      .
    </Nothing>
  )
}
