import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useRef, useState } from "react"

import { answer, client, type Edit, type InsertView, type Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { BottomPanel } from "../../parts/BottomPanel"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { TableCell, TableHead } from "../../parts/TableHead"
import { usePropose } from "../../parts/propose"
import { useNumber } from "./fields"

const HEADS = [
  "#",
  "Track or bus",
  "Hangs in it",
  "Goes out and comes back by",
  "Round trip",
  "Level",
  "Counts with",
  "",
]

/** What hangs in a program's tracks and buses: a row each, with the round trip and what the program knows of it. */
export function InsertsPanel({ program, onClose }: { program: Program; onClose: () => void }) {
  const { state, say, edit } = useRig()
  const propose = usePropose()
  const [at, setAt] = useState(0)
  const [playing, setPlaying] = useState(false)
  const [heard, setHeard] = useState("")
  const table = useRef<HTMLDivElement>(null)
  const found = useQuery({
    queryKey: ["inserts", state.id, state.revision, program.id],
    placeholderData: (before: InsertView[] | undefined) => before,
    queryFn: () =>
      answer<InsertView[]>(
        client.GET("/api/rigs/{rig_id}/programs/{program_id}/inserts", {
          params: { path: { rig_id: state.id, program_id: program.id } },
        }),
      ),
  })
  const rows = found.data ?? []
  const row = rows[Math.min(at, rows.length - 1)]
  const field = (id: string) => table.current?.querySelector<HTMLInputElement>(`tr[data-item="${id}"] input`)
  useEffect(() => {
    if (row) table.current?.querySelector(`tr[data-item="${row.id}"]`)?.scrollIntoView({ block: "nearest" })
  }, [row])
  const params = { path: { rig_id: state.id } }
  const failed = (problem: unknown) => {
    say(problem instanceof Error ? problem.message : String(problem))
    return false
  }
  const hear = async () => {
    if (!row?.trip || playing) return
    setPlaying(true)
    setHeard("")
    try {
      const run = await answer<{ words: string; edits: Edit[] }>(
        client.POST("/api/rigs/{rig_id}/measure-insert", { params, body: { item: row.id } }),
      )
      say(null)
      setPlaying(false)
      setHeard(`${row.name}: ${run.words}`)
      await propose({ edits: run.edits, words: `${run.words}, on the twin. Count with it, as computed` })
    } catch (problem) {
      failed(problem)
    } finally {
      setPlaying(false)
    }
  }
  const count = async (item: InsertView, samples: number | null, origin: "measured" | "reported") => {
    try {
      const edits = await answer<Edit[]>(
        client.POST("/api/rigs/{rig_id}/insert-figure", { params, body: { item: item.id, samples, origin } }),
      )
      const words = origin === "reported" ? "what the driver reports" : `${samples ?? 0} samples, measured`
      return await propose({ edits, words: `${program.name} counts with ${words}`, unlessHarmless: true })
    } catch (problem) {
      return failed(problem)
    }
  }
  const bypass = () => {
    if (!row?.trip) return
    const to = row.on ? "bypassed" : "in"
    void propose({
      edits: [{ edit: "type_program_insert", item: row.id, text: to }],
      words: `Insert of ${row.name} ${to}`,
    })
  }
  const walk = (step: number) => setAt(Math.max(0, Math.min(rows.length - 1, at + step)))
  useKeys([
    { keys: "ArrowDown", words: "Next track or bus", run: () => walk(1) },
    { keys: "ArrowUp", words: "Track or bus before", run: () => walk(-1) },
    { keys: "Enter", words: "Type what hangs in it", run: () => row && field(row.id)?.select() },
    { keys: "m", words: "Hear its round trip on the twin", run: () => void hear() },
    { keys: "b", words: "Bypassed or in: what that changes", run: bypass },
    { keys: "Escape", words: "Close the inserts", run: onClose },
  ])
  return (
    <BottomPanel
      label={`Inserts of ${program.name}`}
      title={`Inserts of ${program.name}`}
      h="260px"
      onClose={onClose}
      beside={
        <>
          <label>
            <input
              type="checkbox"
              checked={program.delay_compensation}
              onChange={(event) =>
                void edit([
                  { edit: "set", item: program.id, values: { delay_compensation: event.target.checked } },
                ])
              }
            />{" "}
            compensates delays
          </label>
          <Box color="ink2" overflow="hidden" textOverflow="ellipsis" role="status">
            {playing ? "Sending the test signal through it …" : heard}
          </Box>
        </>
      }
      acts={
        <>
          <Button size="row" onClick={() => void hear()} disabled={!row?.trip || playing}>
            Hear it <Kbd>m</Kbd>
          </Button>
          <Button size="row" variant="quiet" onClick={bypass} disabled={!row?.trip}>
            {row?.trip && !row.on ? "Put in" : "Bypass"} <Kbd>b</Kbd>
          </Button>
        </>
      }
    >
      <Box
        ref={table}
        flex="1"
        minH="0"
        overflow="auto"
        borderTop="1px solid"
        borderColor="rule"
        tabIndex={-1}
      >
        <chakra.table w="100%" textStyle="cell" css={{ borderCollapse: "collapse" }}>
          <TableHead heads={HEADS} />
          <tbody>
            {rows.map((item, place) => (
              <InsertRow
                key={item.id}
                item={item}
                chosen={item === row}
                onChoose={() => setAt(place)}
                onCount={(samples) => count(item, samples, "measured")}
                onReport={() => void count(item, null, "reported")}
              />
            ))}
          </tbody>
        </chakra.table>
        {found.data?.length === 0 && (
          <Box p="8px" color="ink2" textStyle="cell">
            It has no tracks and no buses to hang anything in.
          </Box>
        )}
      </Box>
    </BottomPanel>
  )
}

const KNOWN: Record<NonNullable<InsertView["trip"]>["known"], string> = {
  right: "",
  nothing: "not known",
  "other rate": "of another rate: say it anew",
  "other buffer": "of another buffer: say it anew",
  wrong: "does not hold",
}

interface RowProps {
  item: InsertView
  chosen: boolean
  onChoose: () => void
  onCount: (samples: number) => Promise<boolean | "left">
  onReport: () => void
}

function InsertRow({ item, chosen, onChoose, onCount, onReport }: RowProps) {
  const { edit } = useRig()
  const number = useNumber()
  const { trip } = item
  return (
    <chakra.tr
      data-item={item.id}
      aria-selected={chosen}
      bg={chosen ? "wash" : undefined}
      onFocus={onChoose}
      onClick={onChoose}
    >
      <TableCell>
        <Figure>{item.position}</Figure>
      </TableCell>
      <TableCell whiteSpace="nowrap">
        {item.side === "bus" && <chakra.span color="ink2">bus </chakra.span>}
        {item.name}
      </TableCell>
      <TableCell minW="230px">
        <Commit
          value={item.phrase}
          label={`Insert of ${item.name}`}
          placeholder="outboard gear, or out 3 in 5, dry -6"
          onKeep={(text) => edit([{ edit: "type_program_insert", item: item.id, text }])}
        />
      </TableCell>
      <TableCell color={trip && trip.samples === null && item.on ? "wax" : "ink2"}>{trip?.way}</TableCell>
      <TableCell whiteSpace="nowrap">
        {trip?.samples != null && (
          <Figure>
            {trip.assumed && "~"}
            {trip.samples} = {(trip.ms ?? 0).toFixed(2)} ms
          </Figure>
        )}
      </TableCell>
      <TableCell whiteSpace="nowrap">
        {trip?.gain_db != null && (
          <Figure>
            {`${(Math.round(10 * trip.gain_db) / 10 + 0).toFixed(1)} dB`.replace("-", "−")}
            {trip.inverted && ", reversed"}
          </Figure>
        )}
      </TableCell>
      <TableCell whiteSpace="nowrap">
        {trip && (
          <Flex gap="4px" align="center">
            <Commit
              value={trip.held_samples}
              label={`Round trip that the insert of ${item.name} counts with`}
              width="56px"
              figure
              placeholder="none"
              onKeep={(text) => number("Round trip", text, onCount)}
            />
            <chakra.span color="ink2">
              {[trip.held_origin, KNOWN[trip.known]].filter(Boolean).join(", ")}
            </chakra.span>
          </Flex>
        )}
      </TableCell>
      <TableCell>
        {trip && (
          <Button size="row" variant="link" onClick={onReport} title="Count with what the driver reports">
            as reported
          </Button>
        )}
      </TableCell>
    </chakra.tr>
  )
}
