import { Box, Flex, VisuallyHidden, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState, type ReactNode } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Kbd, Select } from "../../parts/controls"
import { useSetting } from "../../parts/settings"
import { PaperFrame } from "./PaperFrame"
import { sayRevision, useRevisions } from "./revisions"
import { today } from "./today"

type Table = Schemas["SheetTable"]

const PAPERS = ["A4", "Letter"] as const

interface Props {
  name: Schemas["SheetName"]
  sheets: ReactNode
  /** Of a comparison: with what; and the fields that say so. */
  against?: { with_rig?: string; with_revision?: number }
  children?: ReactNode
}

/** One sheet, as it is printed: its head, its notes, its tables; and as files. */
export function SheetPage({ name, sheets, against, children }: Props) {
  const { state } = useRig()
  const [since, setSince] = useState<number | null>(null)
  const [paper, setPaper] = useSetting<(typeof PAPERS)[number]>("paper", "A4")
  const found = useQuery({
    queryKey: ["sheet", state.id, state.revision, name.key, since, against],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Schemas["Sheet"]>(
        client.GET("/api/rigs/{rig_id}/sheet", {
          params: {
            path: { rig_id: state.id },
            query: { key: name.key, ...(since ? { since } : {}), ...against },
          },
        }),
      ),
  })
  const labels = name.group === "Label strips"
  const [width, setWidth] = useSetting<string>("label width", "25")
  const [height, setHeight] = useSetting<string>("label height", "12")
  const bad = labels && !(fits(width, 5, 100) && fits(height, 5, 60))
  const file = (form: string) => {
    const asked = new URLSearchParams({ key: name.key, form, paper, date: today() })
    if (since) asked.set("since", String(since))
    for (const [field, value] of Object.entries(against ?? {})) asked.set(field, String(value))
    if (labels && !bad) {
      asked.set("width_mm", width.replace(",", "."))
      asked.set("height_mm", height.replace(",", "."))
    }
    return `/api/rigs/${state.id}/sheet-file?${asked}`
  }
  return (
    <PaperFrame label={name.title} left={sheets}>
      <Flex align="baseline" gap="10px" mb="6px" wrap="wrap">
        <chakra.h1 textStyle="title">
          {name.title}
          {labels && ", labels"} · {state.rig.name}
        </chakra.h1>
        <Figure color="ink2">rev {state.revision}</Figure>
        <Figure color="ink2">{today()}</Figure>
        <Box flex="1" />
        <Flex gap="8px" align="center" _print={{ display: "none" }}>
          {!labels && !against && <Bars since={since} onSince={setSince} />}
          {children}
          <Select
            aria-label="Paper"
            value={paper}
            onChange={(event) => setPaper(event.target.value as (typeof PAPERS)[number])}
          >
            {PAPERS.map((each) => (
              <option key={each}>{each}</option>
            ))}
          </Select>
          {labels && (
            <Flex as="label" gap="4px" align="center" textStyle="cell" color="ink2">
              cells
              {(
                [
                  ["Width of a cell, mm", width, setWidth, 5, 100],
                  ["Height of a cell, mm", height, setHeight, 5, 60],
                ] as const
              ).map(([words, value, put, least, most]) => (
                <Input
                  key={words}
                  w="52px"
                  aria-label={words}
                  bad={!fits(value, least, most)}
                  value={value}
                  onChange={(event) => put(event.target.value)}
                />
              ))}
              mm
            </Flex>
          )}
          <Files of={file} />
          <Button size="row" onClick={() => window.print()}>
            Print <Kbd>Ctrl P</Kbd>
          </Button>
        </Flex>
      </Flex>
      {bad && (
        <Box role="alert" color="wax" textStyle="cell">
          A cell is 5 to 100 mm wide and 5 to 60 mm high; until that is so, the PDF has the usual 25 × 12 mm.
        </Box>
      )}
      {found.error && <Box color="wax">{found.error.message}</Box>}
      {found.data?.notes?.map((note) => (
        <Box key={note} textStyle="cell" mb="4px">
          {note}
        </Box>
      ))}
      {found.data?.tables.map((table) => (
        <OneTable key={table.title} table={table} />
      ))}
    </PaperFrame>
  )
}

/** The forms in which a sheet is saved; ``of``: where each of them is. */
export function Files({ of }: { of: (form: string) => string }) {
  return ["pdf", "xlsx", "csv"].map((form) => (
    <chakra.a
      key={form}
      href={of(form)}
      download
      textStyle="cell"
      color="sea"
      fontWeight="600"
      px="4px"
      _hover={{ bg: "sunk" }}
    >
      {form.toUpperCase()}
    </chakra.a>
  ))
}

/** Since which revision change bars are wanted: a named one first. */
function Bars({ since, onSince }: { since: number | null; onSince: (since: number | null) => void }) {
  const revisions = useRevisions()
  return (
    <Flex as="label" gap="4px" align="center" textStyle="cell" color="ink2" whiteSpace="nowrap">
      bars since
      <Select
        aria-label="Change bars since"
        value={since ?? ""}
        onChange={(event) => onSince(event.target.value ? Number(event.target.value) : null)}
      >
        <option value="">no bars</option>
        {revisions.map((each) => (
          <option key={each.number} value={each.number}>
            {sayRevision(each)}
          </option>
        ))}
      </Select>
    </Flex>
  )
}

function fits(text: string, least: number, most: number): boolean {
  const value = Number(text.trim().replace(",", "."))
  return text.trim() !== "" && value >= least && value <= most
}

function OneTable({ table }: { table: Table }) {
  // A column of places is narrow; the others share what is left.
  const shared = table.columns.filter((column) => column.title !== "#")
  const shares = shared.reduce((sum, column) => sum + (column.share ?? 1), 0)
  return (
    <chakra.section mb="14px">
      <chakra.h2 textStyle="head" h="24px" lineHeight="24px">
        {table.title}
      </chakra.h2>
      {table.rows.length === 0 ? (
        <Box color="ink2" textStyle="cell">
          {table.empty}
        </Box>
      ) : (
        <chakra.table
          w="100%"
          tableLayout="fixed"
          borderCollapse="collapse"
          textStyle="cell"
          aria-label={table.title}
        >
          <colgroup>
            {table.columns.map((column) => (
              <col
                key={column.title}
                style={{ width: column.title === "#" ? "34px" : `${(100 * (column.share ?? 1)) / shares}%` }}
              />
            ))}
          </colgroup>
          <thead>
            <tr>
              {table.columns.map((column) => (
                <chakra.th
                  key={column.title}
                  textStyle="head"
                  textAlign={column.figures ? "right" : "left"}
                  px="4px"
                  borderBottom="1px solid"
                  borderColor="ink"
                >
                  {column.title}
                </chakra.th>
              ))}
            </tr>
          </thead>
          <tbody>
            {table.rows.map((row, place) => (
              <chakra.tr key={place} css={{ breakInside: "avoid" }}>
                {row.map((cell, column) => {
                  const bar = table.changed?.[place]
                  const figures = table.columns[column]?.figures
                  return (
                    <chakra.td
                      key={column}
                      px="4px"
                      py="2px"
                      verticalAlign="top"
                      textAlign={figures ? "right" : "left"}
                      textStyle={figures ? "figure" : undefined}
                      borderBottom="1px solid"
                      borderColor="rule"
                      // A bar stands before what has changed, on paper in black.
                      css={
                        bar && column === 0
                          ? { borderLeft: "3px solid", borderLeftColor: "{colors.ink}" }
                          : undefined
                      }
                    >
                      {bar && column === 0 && <VisuallyHidden>changed: </VisuallyHidden>}
                      {cell}
                    </chakra.td>
                  )
                })}
              </chakra.tr>
            ))}
          </tbody>
        </chakra.table>
      )}
    </chakra.section>
  )
}
