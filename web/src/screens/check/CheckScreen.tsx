import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useEffect, useState } from "react"

import { answer, client, type CheckView } from "../../api/client"
import { rigKey, useRig } from "../../api/rig"
import { Button, Figure, Kbd, Progress } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { Clips } from "./Clips"
import { Faults } from "./Faults"
import { Ledger, type TargetRow } from "./Ledger"
import { TargetDetail } from "./TargetDetail"
import { Waveform } from "./Waveform"

/** Prove it: play a test signal from every source at once on the twin and see what arrived where. */
export function CheckScreen() {
  const { state, check: news, say } = useRig()
  const cache = useQueryClient()
  const [all, setAll] = useState(true)
  const [chosen, setChosen] = useState<number | null>(null)
  const [failing, setFailing] = useState(false)
  const [faults, setFaults] = useState<ReadonlySet<string>>(new Set())
  const key = ["check", state.id]
  const newest = useQuery({
    queryKey: key,
    queryFn: () =>
      answer<CheckView | null>(
        client.GET("/api/rigs/{rig_id}/checks/newest", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const check: CheckView | null = newest.data ?? null
  const ended = news && !["queued", "running"].includes(news.state)
  useEffect(() => {
    if (news && (news.id !== check?.id || (ended && check.state !== news.state)))
      void cache.invalidateQueries({ queryKey: ["check", state.id] })
    if (ended) void cache.invalidateQueries({ queryKey: rigKey(state.id) })
  }, [news, ended, check?.id, check?.state, cache, state.id])

  const run = useMutation({
    mutationFn: ({ only, faults }: { only: string[] | null; faults: string[] }) =>
      answer<CheckView>(
        client.POST("/api/rigs/{rig_id}/checks", {
          params: { path: { rig_id: state.id } },
          body: { only, faults },
        }),
      ),
    onSuccess: (begun) => cache.setQueryData(key, begun),
    onError: (error: Error) => say(error.message),
  })
  const cancel = useMutation({
    mutationFn: (id: string) =>
      answer<CheckView>(client.POST("/api/checks/{check_id}/cancel", { params: { path: { check_id: id } } })),
    onSuccess: (view) => cache.setQueryData(key, view),
    onError: (error: Error) => say(error.message),
  })

  const live = check && news?.id === check.id ? { ...check, ...news } : check
  const running = live !== null && ["queued", "running"].includes(live.state)
  const ledger = check?.ledger ?? null
  const rows: TargetRow[] = ledger
    ? ledger.targets.filter(
        (row) => all || !["as wanted", "unused"].includes(row.state) || !row.agrees || row.untold !== "",
      )
    : []
  const row = ledger?.targets.find((each) => each.channel === chosen) ?? rows[0] ?? null
  const step = (by: number) => {
    const next = rows[Math.max(0, Math.min(rows.length - 1, rows.findIndex((each) => each === row) + by))]
    if (next) setChosen(next.channel)
  }
  const { proofs } = state.survey
  const old = state.survey.lines.filter((line) => proofs[line.id] === "stale").map((line) => line.id)
  const start = (only: string[] | null = null) => {
    if (!running && !run.isPending) run.mutate({ only, faults: [] })
  }
  const startFailing = (keys: string[]) => {
    if (running || run.isPending || keys.length === 0) return
    run.mutate({ only: null, faults: keys })
    setFailing(false)
  }
  const turn = (key: string) => {
    const next = new Set(faults)
    if (!next.delete(key)) next.add(key)
    setFaults(next)
  }
  const startStale = () => {
    if (old.length > 0) start(old)
  }
  useKeys([
    { keys: "r", words: "Run the check on the twin", run: () => start() },
    { keys: "o", words: "Check only the lines whose proof is stale", run: startStale },
    { keys: "f", words: "Switch faults on for a run", run: () => setFailing(true) },
    { keys: "x", words: "All targets, or exceptions only", run: () => setAll((on) => !on) },
    { keys: "ArrowDown", words: "Next target", run: () => step(1) },
    { keys: "ArrowUp", words: "Target before", run: () => step(-1) },
  ])
  const stale = check?.state === "done" && check.revision !== state.revision
  return (
    <Flex direction="column" h="100%">
      <Flex h="bar" flex="none" align="center" px="12px" gap="12px">
        <Button variant="ink" onClick={() => start()} disabled={running || run.isPending}>
          Run on the twin{" "}
          <Kbd borderColor="currentColor" color="inherit">
            r
          </Kbd>
        </Button>
        {old.length > 0 && (
          <Button onClick={startStale} disabled={running || run.isPending}>
            Only the {old.length} stale <Kbd>o</Kbd>
          </Button>
        )}
        <Button variant="quiet" onClick={() => setFailing(true)}>
          Faults <Kbd>f</Kbd>
        </Button>
        {running && live && (
          <>
            <Progress share={live.share} label="Progress of the check" />
            <Figure>{Math.round(live.share * 100)} %</Figure>
            <span>{live.stage}</span>
            <Button size="row" onClick={() => cancel.mutate(live.id)} disabled={cancel.isPending}>
              Cancel
            </Button>
          </>
        )}
        <Box flex="1" />
        {check && !running && (
          <chakra.span color="ink2">
            Take {check.number} · twin · rev {check.revision}
            {check.only && ` · ${check.only.length} of the lines`}
            {stale && <chakra.span color="wax"> (the rig is at {state.revision} now)</chakra.span>} ·{" "}
            {check.state}
          </chakra.span>
        )}
        {check?.files.map((file) => (
          <chakra.a
            key={file.rate_hz}
            href={`/api/checks/${check.id}/take.wav?rate_hz=${file.rate_hz}`}
            download
            color="sea"
            fontWeight="600"
          >
            Take, {file.channels.length} channels, {file.rate_hz / 1000} kHz WAV
          </chakra.a>
        ))}
      </Flex>
      {check && ["failed", "cancelled"].includes(check.state) && !running && (
        <Box role="status" px="12px" py="6px" bg="waxWash" color="wax">
          {check.state === "failed" ? check.stage : "The check was cancelled; nothing was kept of it."}
        </Box>
      )}
      {check && check.faults.length > 0 && (
        <Box
          role="status"
          px="12px"
          py="6px"
          bg="pencilWash"
          color="pencil"
          textStyle="cell"
          data-testid="with-faults"
        >
          <b>Run with {check.faults.length === 1 ? "a fault" : `${check.faults.length} faults`}</b>:{" "}
          {check.faults.join("; ")}. It is set beside what the rig promises without, and proves nothing.
        </Box>
      )}
      {ledger && check ? (
        <>
          <Flex flex="1" minH="0" borderTop="1px solid" borderColor="edge">
            <Box flex="1" minW="0" overflow="auto">
              <Flex h="26px" align="center" px="12px" gap="12px" textStyle="head" bg="paper">
                <span data-testid="proved">
                  Heard ledger · {ledger.as_wanted} of {ledger.wanted} lines as wanted
                </span>
                <span>
                  · {ledger.agreeing} of {ledger.targets.length} targets as predicted
                  {(ledger.untold ?? 0) > 0 && `, ${ledger.untold} cannot be told`}
                </span>
                {(ledger.missed ?? [])
                  .filter((each) => each.missed > 0)
                  .map((each) => (
                    <chakra.span key={each.program} color="wax">
                      {each.name} missed {each.missed} of {each.blocks} blocks: clicks and gaps
                    </chakra.span>
                  ))}
                {(ledger.slips ?? []).length > 0 && (
                  <chakra.span color="wax">
                    {(ledger.slips ?? []).length} slips between clocks, the first after{" "}
                    {ledger.slips?.[0]?.time_s.toFixed(1)} s
                  </chakra.span>
                )}
                <Box flex="1" />
                <Button size="row" variant="quiet" onClick={() => setAll((on) => !on)}>
                  {all ? "Exceptions only" : "Show all"} <Kbd>x</Kbd>
                </Button>
              </Flex>
              <Ledger rows={rows} chosen={row?.channel ?? null} onChoose={setChosen} />
              <Clips clips={ledger.clips ?? []} />
              {rows.length === 0 && (
                <Box p="12px" color="ink2">
                  No exceptions: every target heard what it should, when it should.
                </Box>
              )}
            </Box>
            <Box w="424px" flex="none" borderLeft="1px solid" borderColor="rule" bg="sheet" overflow="auto">
              {row && <TargetDetail row={row} lines={ledger.lines} />}
            </Box>
          </Flex>
          {row && <Waveform check={check} channel={row.channel} name={row.name} />}
        </>
      ) : (
        !running && <Empty />
      )}
      {failing && (
        <Faults
          on={faults}
          onTurn={turn}
          onRun={startFailing}
          onClose={() => setFailing(false)}
          running={running || run.isPending}
        />
      )}
    </Flex>
  )
}

function Empty() {
  const { state } = useRig()
  const { vitals } = state.survey
  return (
    <Box p="24px" maxW="620px">
      <chakra.h2 textStyle="title" mb="8px">
        Nothing is proved yet
      </chakra.h2>
      <Box color="ink2">
        The twin is a simulated stand-in of this rig. It plays a test signal of its own from every source at
        once, runs converters, buffers and programs block by block, and listens to every track and every pair
        of headphones. It proves the plan; only a capture from the real rig proves the room.
      </Box>
      <Box mt="12px">
        By the plan {vitals.arriving} of {vitals.wanted} lines arrive.
      </Box>
    </Box>
  )
}
