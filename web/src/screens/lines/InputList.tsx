import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useMemo, useState } from "react"

import { answer, client, Problem, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Kbd, Select } from "../../parts/controls"
import { useDraft } from "../../parts/drafts"
import { useKeys } from "../../parts/keys"
import { useSetting } from "../../parts/settings"
import { Mark, Tick } from "../../parts/Mark"
import { NowAfter } from "../../parts/NowAfter"
import { useShown, WORKED_OUT } from "../../parts/seen"

type Row = Schemas["InputRow-Output"]
type Field = Exclude<keyof Row, "number">

const FIELDS: [Field, string, string][] = [
  ["name", "Name", "12%"],
  ["source", "Source", "12%"],
  ["box_input", "Box input", "11%"],
  ["track", "Track", "12%"],
  ["heard_at", "Heard at", "11%"],
  ["purpose", "Purpose", "8%"],
  ["limit", "Limit", "8%"],
  ["phantom", "Phantom", "8%"],
  ["through", "Through", "8%"],
]

/** What somebody said of a list: which column is what, cells by row and field, rows that are made. */
interface Typed {
  mapping: Record<string, number> | null
  corrected: [string, string][]
  made: number[]
}
const NOTHING: Typed = { mapping: null, corrected: [], made: [] }

interface Props {
  file: File
  /** Closed for now: it is gone on with later. */
  onClose: () => void
  /** Every row is made, or nobody wants the others. */
  onDone: () => void
}

/** An input list from a file or pasted: its columns named, bad rows refused in place, the good ones kept on request. */
export function InputList({ file, onClose, onDone }: Props) {
  const { state, edit } = useRig()
  const [typed, put, clear] = useDraft(`list ${file.name} ${file.size} ${file.lastModified}`, NOTHING)
  const { mapping } = typed
  const corrected = useMemo(() => new Map(typed.corrected), [typed.corrected])
  const made = useMemo(() => new Set(typed.made), [typed.made])
  const setMapping = (mapping: Record<string, number>) => put({ ...typed, mapping })
  const done = () => {
    clear()
    onDone()
  }
  const read = useQuery<Schemas["ListView"]>({
    queryKey: ["list", state.id, file.name, file.lastModified, file.size, mapping],
    staleTime: Infinity,
    retry: false,
    placeholderData: (before) => before,
    queryFn: async ({ signal }) => {
      const taken = Object.entries(mapping ?? {}).map(([field, place]) => `column=${field}:${place}`)
      const response = await fetch(`/api/rigs/${state.id}/input-list/read?${taken.join("&")}`, {
        method: "POST",
        body: file,
        headers: { "Content-Type": "application/octet-stream" },
        signal,
      })
      const body = (await response.json()) as Schemas["ListView"] & { place?: string; detail?: string }
      if (!response.ok)
        throw new Problem(response.status, body.place ?? "", body.detail ?? "The list cannot be read.")
      return body
    },
  })
  // Columns that were said once are taken again for the next list with the same titles.
  const [remembered, remember] = useSetting<string>("list columns", "{}")
  const titles = read.data?.titles.join("|") ?? ""
  const [recalled, setRecalled] = useState<string | null>(null)
  if (read.data && mapping === null && recalled === null) {
    const last = columnsOf(remembered)[titles]
    setRecalled(last ? titles : "")
    if (last && JSON.stringify(last) !== JSON.stringify(read.data.mapping)) setMapping(last)
  }
  const columns = mapping ?? read.data?.mapping ?? {}
  const shown = useMemo(() => {
    const rows: Row[] = read.data?.rows ?? []
    return rows
      .filter((row) => !made.has(row.number))
      .map((row) => {
        const changed = { ...row }
        for (const [field] of FIELDS)
          changed[field] = corrected.get(`${row.number}/${field}`) ?? changed[field]
        return changed
      })
  }, [read.data, corrected, made])
  const asks = read.data?.asks ?? false
  const plan = useQuery<Schemas["PlanView"]>({
    queryKey: ["list-plan", state.id, state.revision, shown],
    // Before anybody has said which column is what, no row is called bad.
    enabled: shown.length > 0 && !asks,
    placeholderData: (before) => before,
    queryFn: ({ signal }) =>
      answer<Schemas["PlanView"]>(
        client.POST("/api/rigs/{rig_id}/input-list/plan", {
          params: { path: { rig_id: state.id } },
          body: { rows: shown },
          signal,
        }),
      ),
  })
  const outcomes = new Map(plan.data?.rows.map((row) => [row.number, row]))
  const good = plan.data?.rows.filter((row) => row.accepted).length ?? 0
  const bad = (plan.data?.rows.length ?? 0) - good
  const apply = useShown(
    good === 0 || plan.isPlaceholderData ? null : plan.data,
    (planned) =>
      edit(planned.edits).then((kept) => {
        if (!kept) return false
        if (mapping !== null) remember(JSON.stringify({ ...columnsOf(remembered), [titles]: mapping }))
        const good = shown.filter((row) => outcomes.get(row.number)?.accepted)
        if (good.length === shown.length) done()
        else put({ ...typed, made: [...made, ...good.map((row) => row.number)] })
        return true
      }),
    plan.data && !plan.isPlaceholderData
      ? "no row is good yet."
      : asks
        ? "say first which column is what."
        : WORKED_OUT,
  )
  useKeys([
    { keys: "Escape", words: "Close the list", run: onClose, inFields: true },
    { keys: "Ctrl+Enter", words: "Make the good rows", run: apply, inFields: true },
  ])
  const change = (number: number, field: Field, value: string) =>
    put({ ...typed, corrected: [...new Map(corrected).set(`${number}/${field}`, value)] })
  const take = (field: Field, column: string) => {
    const others = Object.fromEntries(Object.entries(columns).filter(([key]) => key !== field))
    setMapping(column === "" ? others : { ...others, [field]: Number(column) })
  }
  return (
    <Flex direction="column" h="100%">
      <Flex h="bar" flex="none" align="center" px="12px" gap="12px">
        <b>{file.name}</b>
        {read.data && (
          <chakra.span color="ink2">
            {read.data.kind}; {read.data.rows.length} rows
          </chakra.span>
        )}
        {(read.isFetching || plan.isFetching) && (
          <chakra.span role="status" color="ink2">
            {read.isFetching ? `reading ${file.name}…` : `working out ${shown.length} rows…`}
          </chakra.span>
        )}
        <Box flex="1" />
        <Button variant="quiet" title="Forget what is left of this list" onClick={done}>
          Discard
        </Button>
        <Button variant="quiet" onClick={onClose}>
          {read.isFetching || plan.isFetching ? "Cancel" : "Close"} <Kbd>Esc</Kbd>
        </Button>
      </Flex>
      {read.error && (
        <Box role="alert" bg="waxWash" color="wax" px="12px" py="8px">
          {file.name}: {read.error.message}
        </Box>
      )}
      {plan.error && (
        <Box role="alert" bg="waxWash" color="wax" px="12px" py="8px">
          {plan.error.message}
        </Box>
      )}
      {recalled && mapping !== null && (
        <Box role="status" px="12px" py="4px" textStyle="cell" color="ink2">
          Columns are taken as the last time that a list had these titles.
        </Box>
      )}
      {asks && (
        <Flex px="12px" py="4px" gap="12px" align="center" bg="pencilWash" color="pencil" textStyle="cell">
          <span>Which column is what? Choose it above the columns, or take them in this order.</span>
          <Button size="row" variant="trial" onClick={() => setMapping(columns)}>
            These columns are right
          </Button>
        </Flex>
      )}
      {read.data?.notes.map((note) => (
        <Box key={note} px="12px" py="2px" color="ink2" textStyle="cell" role="note">
          {note}
        </Box>
      ))}
      <Flex flex="1" minH="0">
        <Box flex="1" minW="0" overflow="auto">
          {shown.length > 0 && (
            <chakra.table
              w="100%"
              minW="860px"
              borderCollapse="collapse"
              bg="sheet"
              textStyle="cell"
              aria-label="Rows of the list"
            >
              <thead>
                <tr>
                  <th />
                  {FIELDS.map(([field, title]) => (
                    <chakra.th key={field} p="2px" fontWeight="400" bg="paper">
                      <Select
                        w="100%"
                        aria-label={`Column for ${title}`}
                        value={columns[field] ?? ""}
                        onChange={(event) => take(field, event.target.value)}
                      >
                        <option value="">not in the list</option>
                        {read.data?.titles.map((words, column) => (
                          <option key={column} value={column}>
                            {words}
                          </option>
                        ))}
                      </Select>
                    </chakra.th>
                  ))}
                  <th />
                </tr>
                <tr>
                  {[["number", "Row", "40px"], ...FIELDS, ["outcome", "", "64px"]].map(
                    ([key, title, width]) => (
                      <chakra.th
                        key={key}
                        style={{ width }}
                        textStyle="head"
                        h="26px"
                        px="6px"
                        textAlign="left"
                        position="sticky"
                        top="0"
                        bg="paper"
                        zIndex="1"
                        borderBottom="1px solid"
                        borderColor="edge"
                      >
                        {title}
                      </chakra.th>
                    ),
                  )}
                </tr>
              </thead>
              {shown.map((row) => {
                const outcome = outcomes.get(row.number)
                const refused = outcome && !outcome.accepted
                return (
                  <chakra.tbody key={row.number} bg={refused ? "waxWash" : "sheet"} data-row={row.number}>
                    <tr>
                      <chakra.td
                        px="6px"
                        textAlign="right"
                        verticalAlign="top"
                        pt="5px"
                        rowSpan={refused ? 2 : 1}
                        borderBottom="1px solid"
                        borderColor="rule"
                      >
                        <Figure>{row.number}</Figure>
                      </chakra.td>
                      {FIELDS.map(([column, title]) => (
                        <chakra.td
                          key={column}
                          p="1px"
                          borderBottom={refused ? undefined : "1px solid"}
                          borderColor="rule"
                        >
                          <Input
                            w="100%"
                            borderColor={refused ? "edge" : "transparent"}
                            bad={refused && outcome.field.replace(" ", "_") === column}
                            aria-label={`${title}, row ${row.number}`}
                            value={row[column]}
                            onChange={(event) => change(row.number, column, event.target.value)}
                          />
                        </chakra.td>
                      ))}
                      <chakra.td
                        px="6px"
                        borderBottom={refused ? undefined : "1px solid"}
                        borderColor="rule"
                        color={refused ? "wax" : "ink2"}
                        whiteSpace="nowrap"
                      >
                        {outcome &&
                          (refused ? (
                            <Mark severity="trouble" label="refused" />
                          ) : (
                            <>
                              <Tick label="good" /> good
                            </>
                          ))}
                      </chakra.td>
                    </tr>
                    {refused && (
                      <tr>
                        <chakra.td
                          colSpan={FIELDS.length + 1}
                          px="6px"
                          pb="4px"
                          color="wax"
                          borderBottom="1px solid"
                          borderColor="rule"
                        >
                          {outcome.reason}
                        </chakra.td>
                      </tr>
                    )}
                  </chakra.tbody>
                )
              })}
            </chakra.table>
          )}
        </Box>
        {plan.data && (
          <Box w="300px" flex="none" p="12px" borderLeft="1px solid" borderColor="rule" overflow="auto">
            <Box mb="8px">
              <b>{good}</b> {good === 1 ? "row is" : "rows are"} good
              {bad > 0 && (
                <chakra.span color="wax">
                  , <b>{bad}</b> refused
                </chakra.span>
              )}
              .
            </Box>
            {plan.data.trial && <NowAfter trial={plan.data.trial} />}
            <Flex mt="8px" direction="column" align="flex-start" gap="6px">
              <Button variant="ink" onClick={apply} disabled={good === 0 || plan.isPlaceholderData}>
                Make {good} {good === 1 ? "line" : "lines"}{" "}
                <Kbd borderColor="currentColor" color="inherit">
                  Ctrl Enter
                </Kbd>
              </Button>
              {bad > 0 && <Box color="ink2">Refused rows stay here; mend them in place.</Box>}
            </Flex>
          </Box>
        )}
      </Flex>
    </Flex>
  )
}

/** Which column stood for what, by the titles of lists read before. */
function columnsOf(text: string): Record<string, Record<string, number>> {
  try {
    return JSON.parse(text) as Record<string, Record<string, number>>
  } catch {
    return {}
  }
}
