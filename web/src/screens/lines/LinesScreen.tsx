import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMemo, useRef, useState } from "react"

import type { LineView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { useSelection } from "../../parts/selection"
import { Batch } from "./Batch"
import { InputList } from "./InputList"
import { LinesTable, type CellName, CELLS } from "./LinesTable"
import { NewLine } from "./NewLine"
import { Plan } from "./Plan"
import { Tape } from "./Tape"

const PURPOSES = ["record", "listen"] as const

/** What must arrive where, how it is patched and what becomes of it. */
export function LinesScreen() {
  const { state, edit } = useRig()
  const { line: chosen, chooseLine, openSnags, snag } = useSelection()
  const [wanted, setWanted] = useState("")
  const [cell, setCell] = useState<CellName | null>(null)
  const [open, setOpen] = useState<"line" | "batch" | "plan" | null>(null)
  const [list, setList] = useState<File | null>(null)
  const finder = useRef<HTMLInputElement>(null)
  const file = useRef<HTMLInputElement>(null)
  const table = useRef<HTMLDivElement>(null)

  const { lines, snags } = state.survey
  const shown = useMemo(() => {
    const text = wanted.trim().toLowerCase()
    const fits = (line: LineView) =>
      !text ||
      [line.name, line.headline, String(line.position), ...line.stations.map((s) => `${s.label} ${s.number}`)]
        .join(" ")
        .toLowerCase()
        .includes(text)
    return PURPOSES.flatMap((purpose) => lines.filter((line) => line.purpose === purpose && fits(line)))
  }, [lines, wanted])
  const at = shown.findIndex((line) => line.id === chosen)
  const current = shown[at] ?? null

  const choose = (index: number) => {
    const line = shown[Math.max(0, Math.min(shown.length - 1, index))]
    if (line) chooseLine(line.id)
  }
  const trouble = (step: 1 | -1) => {
    const count = shown.length
    for (let offset = 1; offset <= count; offset++) {
      const index = ((((at < 0 ? (step > 0 ? -1 : 0) : at) + step * offset) % count) + count) % count
      if (shown[index]?.headline !== "arrives") return choose(index)
    }
  }
  const mend = () => {
    if (!current) return
    const found = snags.find((each) => each.lines.includes(current.id))
    if (found) openSnags(found.key)
  }
  const firstCell = (): CellName => {
    const station = current?.stations.find((each) => each.state === "gap" || each.state === "blocked")
    return station?.column ?? "name"
  }
  const move = (step: number) => {
    const index = CELLS.indexOf(cell ?? "name") + step
    setCell(CELLS[(index + CELLS.length) % CELLS.length] ?? "name")
  }
  const busy = cell !== null || open !== null || snag !== null

  useKeys([
    { keys: "/", words: "Find a line", run: () => finder.current?.focus() },
    { keys: "n", words: "New line", run: () => setOpen("line") },
    { keys: "b", words: "Batch of lines", run: () => setOpen("batch") },
    { keys: "p", words: "Plan: make every line arrive", run: () => setOpen("plan") },
    { keys: "l", words: "Read an input list", run: () => file.current?.click() },
    { keys: "]", words: "Next trouble", run: () => trouble(1) },
    { keys: "[", words: "Previous trouble", run: () => trouble(-1) },
    { keys: "m", words: "Mend this line", run: mend },
    ...(busy
      ? []
      : [
          { keys: "ArrowDown", words: "Next line", run: () => choose(at + 1) },
          { keys: "ArrowUp", words: "Line before", run: () => choose(at < 0 ? 0 : at - 1) },
          { keys: "Enter", words: "Open a cell", run: () => current && setCell(firstCell()) },
          {
            keys: "Delete",
            words: "Remove this line",
            run: () => current && void edit([{ edit: "remove", items: [current.id] }]),
          },
        ]),
  ])

  if (list) return <InputList file={list} onClose={() => setList(null)} />
  return (
    <Flex direction="column" h="100%">
      <Flex h="bar" flex="none" align="center" px="12px" gap="10px">
        <Box position="relative" w="300px">
          <Input
            ref={finder}
            w="100%"
            h="28px"
            placeholder="Name or number"
            aria-label="Find a line"
            value={wanted}
            onChange={(event) => setWanted(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Escape") setWanted("")
              if (event.key === "Enter" || event.key === "Escape") {
                event.preventDefault()
                event.currentTarget.blur()
                if (event.key === "Enter") choose(Math.max(0, at))
              }
            }}
          />
          <Box position="absolute" right="6px" top="4px">
            <Kbd>/</Kbd>
          </Box>
        </Box>
        <Box flex="1" />
        <Button variant="quiet" onClick={() => setOpen("line")}>
          New <Kbd>n</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => setOpen("batch")}>
          Batch <Kbd>b</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => setOpen("plan")}>
          Plan <Kbd>p</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => file.current?.click()}>
          Input list… <Kbd>l</Kbd>
        </Button>
        <Button
          variant="quiet"
          onClick={() => trouble(1)}
          disabled={lines.every((l) => l.headline === "arrives")}
        >
          Next trouble <Kbd>]</Kbd>
        </Button>
        <input
          ref={file}
          type="file"
          accept=".csv,.tsv,.txt,text/csv"
          hidden
          aria-label="Input list file"
          onChange={(event) => {
            const found = event.target.files?.[0]
            event.target.value = ""
            if (found) setList(found)
          }}
        />
      </Flex>
      {open === "line" && <NewLine onClose={() => setOpen(null)} />}
      {open === "batch" && <Batch onClose={() => setOpen(null)} />}
      {open === "plan" && <Plan onClose={() => setOpen(null)} />}
      <Box ref={table} flex="1" minH="0" overflow="auto" position="relative">
        {lines.length === 0 ? (
          <Empty onNew={() => setOpen("line")} onList={() => file.current?.click()} />
        ) : (
          <LinesTable
            lines={shown}
            chosen={current?.id ?? null}
            cell={cell}
            onChoose={(id, name) => {
              chooseLine(id)
              setCell(name)
            }}
            onMove={move}
            onLeave={() => setCell(null)}
          />
        )}
        {lines.length > 0 && shown.length === 0 && (
          <Box p="16px" color="ink2">
            No line has “{wanted}” in its name, state or stations.
          </Box>
        )}
      </Box>
      {current && (
        <Tape key={current.id} line={current} onMend={mend} mendable={current.headline !== "arrives"} />
      )}
    </Flex>
  )
}

function Empty({ onNew, onList }: { onNew: () => void; onList: () => void }) {
  return (
    <Box p="24px" maxW="560px">
      <chakra.h2 textStyle="title" mb="8px">
        Nothing is wanted yet
      </chakra.h2>
      <Box color="ink2" mb="12px">
        A line says: these sources must arrive at this track, or at these headphones, no later than so many
        milliseconds. Iskelo then tells you whether they do.
      </Box>
      <Flex gap="8px">
        <Button variant="ink" onClick={onNew}>
          New line
        </Button>
        <Button onClick={onList}>Read an input list…</Button>
      </Flex>
    </Box>
  )
}
