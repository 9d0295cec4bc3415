import { Box, Flex, chakra } from "@chakra-ui/react"
import { useCallback, useEffect, useMemo, useRef, useState } from "react"

import type { SnagView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Kbd, Select } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { useSelection } from "../../parts/selection"
import { useSetting, useWidth } from "../../parts/settings"
import { DRAWER_PX } from "../../theme/system"
import { Batch } from "./Batch"
import { Fill } from "./Fill"
import { aboutOf, alsoOf, beginsAName, fits, notUnderstood, soundsWrong, suspects, symptomOf } from "./find"
import { Finder } from "./Finder"
import { Gutter } from "./FoldedRows"
import { InputList } from "./InputList"
import { useLeftList } from "./leftList"
import { LinesTable } from "./LinesTable"
import { CELLS, type CellName, type Range } from "./columns"
import { NewLine } from "./NewLine"
import { Plan } from "./Plan"
import { GROUPINGS, rowsOf, type GroupBy, type RowItem } from "./rows"
import { Tape } from "./Tape"

/** From so many lines on, runs come folded. */
const FOLD_FROM = 40
const NARROW_BELOW_PX = 1200
const NOBODY: ReadonlySet<string> = new Set()

const turned = (set: ReadonlySet<string>, key: string): ReadonlySet<string> =>
  set.has(key) ? new Set([...set].filter((each) => each !== key)) : new Set([...set, key])

const firstLine = (row: RowItem | undefined) =>
  row?.kind === "line" ? row.line : row?.kind === "run" ? (row.lines[0] ?? null) : null

/** What must arrive where, how it is patched and what becomes of it. */
export function LinesScreen() {
  const { state, edit } = useRig()
  const { line: chosen, chooseLine, openSnags, snag } = useSelection()
  const [wanted, setWanted] = useState("")
  const [cell, setCell] = useState<CellName | null>(null)
  const [open, setOpen] = useState<"line" | "batch" | "plan" | "fill" | null>(null)
  const [list, setList] = useState<File | null>(null)
  const [left, forgetList] = useLeftList(list)
  const [marked, setMarked] = useState<ReadonlySet<string>>(NOBODY)
  const [opened, setOpened] = useState<ReadonlySet<string>>(NOBODY)
  const [closed, setClosed] = useState<ReadonlySet<string>>(NOBODY)
  const [asked, setAsked] = useState<{ column: CellName; range: Range } | null>(null)
  const [aimed, setAimed] = useState<string | null>(null)
  const [pencil, setPencil] = useState<{ numbers: ReadonlyMap<string, string>; column: CellName | null }>({
    numbers: new Map(),
    column: null,
  })
  const [by, setBy] = useSetting<GroupBy>("lines grouped by", "purpose")
  const [fold, setFold] = useState<boolean | null>(null)
  const narrow = useWidth() - (snag === null && open !== "plan" ? 0 : DRAWER_PX) < NARROW_BELOW_PX
  const finder = useRef<HTMLInputElement>(null)
  const file = useRef<HTMLInputElement>(null)
  const [scroller, setScroller] = useState<HTMLDivElement | null>(null)

  const { lines, snags } = state.survey
  const folded = fold ?? lines.length >= FOLD_FROM
  const shown = useMemo(() => {
    const fitting = lines.filter((line) => fits(line, wanted))
    // A sentence about what is heard is no filter.
    return fitting.length === 0 && (symptomOf(wanted) ?? soundsWrong(wanted)) ? lines : fitting
  }, [lines, wanted])
  // A name that is typed is a name, though it may begin like something heard.
  const named = wanted !== "" && shown.length > 0 && shown.length < lines.length
  const isName = beginsAName(lines, wanted)
  const symptom = isName || (named && !wanted.includes(" ")) ? null : symptomOf(wanted)
  const about = useMemo(() => aboutOf(lines, wanted), [lines, wanted])
  const found = useMemo(() => suspects(snags, symptom, about), [snags, symptom, about])
  const rows = useMemo(
    () => rowsOf(shown, state.rig.gear, by, folded && !wanted, opened, closed),
    [shown, state.rig.gear, by, folded, wanted, opened, closed],
  )
  const choosable = useMemo(() => rows.filter((row) => row.kind !== "group"), [rows])
  const at = choosable.findIndex((row) =>
    row.kind === "line" ? row.line.id === chosen : row.lines.some((line) => line.id === chosen),
  )
  const current = shown.find((line) => line.id === chosen) ?? null

  const choose = (index: number) => {
    const line = firstLine(choosable[Math.max(0, Math.min(choosable.length - 1, index))])
    if (line) chooseLine(line.id)
  }
  const extend = (by: number) => {
    const next = firstLine(choosable[Math.max(0, Math.min(choosable.length - 1, at + by))])
    if (!current || !next) return
    setMarked(new Set([...marked, current.id, next.id]))
    chooseLine(next.id)
  }
  const trouble = (step: 1 | -1) => {
    const count = shown.length
    const from = shown.findIndex((line) => line.id === chosen)
    for (let offset = 1; offset <= count; offset++) {
      const index = ((((from < 0 ? (step > 0 ? -1 : 0) : from) + step * offset) % count) + count) % count
      const line = shown[index]
      if (line && line.headline !== "arrives") return chooseLine(line.id)
    }
  }
  const mend = () => {
    if (!current) return
    const mine = snags.filter((each) => each.lines.includes(current.id))
    const best = mine.find((each) => each.key === aimed) ?? mine[0]
    if (best) openSnags(best.key)
  }
  const suspect = (snag: SnagView) => {
    setAimed(snag.key)
    setWanted("")
    const meant = snag.lines.find((id) => about.lines.has(id)) ?? snag.lines[0]
    if (meant) chooseLine(meant)
    else openSnags(snag.key)
  }
  const firstCell = (): CellName => {
    const station = current?.stations.find((each) => each.state === "gap" || each.state === "blocked")
    return station?.column ?? "name"
  }
  const chooseCell = useCallback(
    (id: string, name: CellName | null) => {
      chooseLine(id)
      setCell(name)
    },
    [chooseLine],
  )
  const openRow = () => {
    const row = choosable[at]
    if (row?.kind === "run") setOpened(new Set([...opened, row.lines[0]?.id ?? ""]))
    else if (current) setCell(firstCell())
  }
  const move = (step: number) => {
    const index = CELLS.indexOf(cell ?? "name") + step
    setCell(CELLS[(index + CELLS.length) % CELLS.length] ?? "name")
  }
  /** The marked lines, or from the chosen one down to the end of its purpose. */
  const filled = useMemo(() => {
    if (marked.size > 0) return shown.filter((line) => marked.has(line.id))
    const from = shown.findIndex((line) => line.id === chosen)
    return shown
      .slice(Math.max(0, from))
      .filter((line) => line.purpose === (shown[from] ?? shown[0])?.purpose)
  }, [marked, shown, chosen])
  /** A range typed into a station: so many lines from there on, in pencil first. */
  const fillRange = (id: string, column: CellName, range: Range) => {
    const count = Math.floor((range.end - range.start) / range.step) + 1
    const from = shown.findIndex((line) => line.id === id)
    setMarked(new Set(shown.slice(from, from + count).map((line) => line.id)))
    setCell(null)
    setAsked({ column, range })
    setOpen("fill")
  }
  const closeFill = () => {
    setAsked(null)
    setOpen(null)
  }
  const onPencil = useCallback(
    (numbers: ReadonlyMap<string, string>, column: CellName | null) => setPencil({ numbers, column }),
    [],
  )
  useEffect(() => {
    const paste = (event: ClipboardEvent) => {
      if (event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return
      const text = event.clipboardData?.getData("text/plain") ?? ""
      if (!text.includes("\t") && !text.trim().includes("\n")) return
      event.preventDefault()
      setList(new File([text], "Pasted rows", { type: "text/plain" }))
    }
    window.addEventListener("paste", paste)
    return () => window.removeEventListener("paste", paste)
  }, [])
  const busy = cell !== null || open !== null || snag !== null
  const remove = () => {
    const gone = marked.size > 0 ? shown.filter((line) => marked.has(line.id)) : current ? [current] : []
    if (gone.length === 0) return
    void edit([{ edit: "remove", items: gone.map((line) => line.id) }])
    setMarked(NOBODY)
  }

  useKeys([
    {
      keys: "/",
      words: "Find a line, or what you hear",
      run: () => {
        finder.current?.focus()
        finder.current?.select()
      },
    },
    { keys: "n", words: "New line", run: () => setOpen("line") },
    { keys: "b", words: "Batch of lines", run: () => setOpen("batch") },
    { keys: "p", words: "Plan: make every line arrive", run: () => setOpen("plan") },
    { keys: "f", words: "Fill a column ascending", run: () => filled.length > 0 && setOpen("fill") },
    { keys: "l", words: "Read an input list", run: () => file.current?.click() },
    { keys: "v", words: "Fold runs, or show every line", run: () => setFold(!folded) },
    { keys: "]", words: "Next trouble", run: () => trouble(1) },
    { keys: "[", words: "Previous trouble", run: () => trouble(-1) },
    { keys: "m", words: "Mend this line", run: mend },
    ...(busy
      ? []
      : [
          { keys: "Shift+ArrowDown", words: "Mark downwards", run: () => extend(1) },
          { keys: "Shift+ArrowUp", words: "Mark upwards", run: () => extend(-1) },
          { keys: "ArrowDown", words: "Next line", run: () => choose(at + 1) },
          { keys: "ArrowUp", words: "Line before", run: () => choose(at < 0 ? 0 : at - 1) },
          { keys: " ", words: "Mark this line", run: () => current && setMarked(turned(marked, current.id)) },
          {
            keys: "Escape",
            words: "Show every line, then unmark all",
            run: () => (wanted ? setWanted("") : setMarked(NOBODY)),
          },
          { keys: "Enter", words: "Open a cell, or a run", run: openRow },
          { keys: "Delete", words: "Remove this line, or the marked ones", run: remove },
        ]),
  ])

  if (list)
    return (
      <InputList
        file={list}
        onClose={() => setList(null)}
        onDone={() => {
          setList(null)
          forgetList()
        }}
      />
    )
  return (
    <Flex direction="column" h="100%" pr={open === "plan" ? `${DRAWER_PX}px` : 0}>
      <Flex
        minH="bar"
        flex="none"
        align="center"
        px="12px"
        py="4px"
        gap="8px"
        whiteSpace="nowrap"
        wrap="wrap"
      >
        <Finder
          field={finder}
          text={wanted}
          symptom={symptom}
          asking={symptom === null && !isName && soundsWrong(wanted)}
          found={found}
          about={lines.filter((line) => about.lines.has(line.id)).map((line) => line.name)}
          missing={about.missing}
          also={(snag) => alsoOf(snag, lines, about)}
          unknown={notUnderstood(lines, wanted)}
          onText={setWanted}
          onTake={() => choose(Math.max(0, at))}
          onSnag={suspect}
        />
        <Flex as="label" align="center" gap="5px" textStyle="cell" color="ink2">
          Group
          <Select
            aria-label="Group lines by"
            value={by}
            onChange={(event) => setBy(event.target.value as GroupBy)}
          >
            {GROUPINGS.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </Select>
        </Flex>
        <Button variant="quiet" aria-pressed={folded} onClick={() => setFold(!folded)}>
          {folded ? "Runs folded" : "Every line"} <Kbd>v</Kbd>
        </Button>
        <Box flex="1" />
        {marked.size > 0 && (
          <chakra.span textStyle="cell" color="ink2">
            {marked.size} marked
          </chakra.span>
        )}
        <Button variant="quiet" onClick={() => setOpen("line")}>
          New <Kbd>n</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => setOpen("batch")}>
          Batch <Kbd>b</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => setOpen("plan")}>
          Plan <Kbd>p</Kbd>
        </Button>
        <Button variant="quiet" disabled={filled.length === 0} onClick={() => setOpen("fill")}>
          Fill <Kbd>f</Kbd>
        </Button>
        <Button variant="quiet" onClick={() => file.current?.click()}>
          List… <Kbd>l</Kbd>
        </Button>
        {left && (
          <Button
            variant="link"
            title="Its rows that are not made yet, as you left them"
            onClick={() => setList(left)}
          >
            Go on with {left.name}
          </Button>
        )}
        <Button
          variant="quiet"
          onClick={() => trouble(1)}
          disabled={lines.every((l) => l.headline === "arrives")}
        >
          {narrow ? "Trouble" : "Next trouble"} <Kbd>]</Kbd>
        </Button>
        <input
          ref={file}
          type="file"
          accept=".csv,.tsv,.txt,.xlsx,text/csv"
          hidden
          aria-label="Input list file"
          onChange={(event) => {
            const picked = event.target.files?.[0]
            event.target.value = ""
            if (picked) setList(picked)
          }}
        />
      </Flex>
      {open === "line" && <NewLine onClose={() => setOpen(null)} />}
      {open === "batch" && <Batch onClose={() => setOpen(null)} />}
      {open === "plan" && <Plan onClose={() => setOpen(null)} />}
      {open === "fill" && <Fill lines={filled} asked={asked} onPencil={onPencil} onClose={closeFill} />}
      <Box flex="1" minH="0" position="relative">
        <Box ref={setScroller} h="100%" overflow="auto" tabIndex={-1} outline="none">
          {lines.length === 0 ? (
            <Empty onNew={() => setOpen("line")} onList={() => file.current?.click()} />
          ) : (
            <LinesTable
              rows={rows}
              scroller={scroller}
              narrow={narrow}
              chosen={current?.id ?? null}
              marked={marked}
              pencil={pencil.numbers}
              pencilColumn={pencil.column}
              editing={
                cell ? { cell, onMove: move, onLeave: () => setCell(null), onRange: fillRange } : undefined
              }
              onChoose={chooseCell}
              onGroup={(key) => setClosed(turned(closed, key))}
              onRun={(id) => setOpened(turned(opened, id))}
            />
          )}
          {lines.length > 0 && shown.length === 0 && (
            <Box p="16px" color="ink2">
              No line has “{wanted}” in its name, state or stations.{" "}
              <Button size="row" onClick={() => setWanted("")}>
                Show every line <Kbd>Esc</Kbd>
              </Button>
            </Box>
          )}
        </Box>
        {lines.length > 0 && <Gutter rows={rows} onGo={chooseLine} />}
      </Box>
      {current && (
        <Tape
          key={current.id}
          line={current}
          also={marked.has(current.id) ? shown.filter((each) => each !== current && marked.has(each.id)) : []}
          onMend={mend}
          mendable={current.headline !== "arrives"}
        />
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
        milliseconds. Iskelo then tells you whether they do. Rows copied from a spreadsheet can be pasted here
        with Ctrl+V.
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
