import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"
import { Link, useNavigate } from "react-router"

import { answer, client, Problem, type Schemas, type State } from "../../api/client"
import { useParts } from "../../api/parts"
import { Button, Figure, Input, Kbd, Select } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { useRested } from "../../parts/rested"

const EXAMPLES = [
  ["Orrin Point, rehearsal", "orrin-point-rehearsal"],
  ["Two voices on one box", "two-voices-on-one-box"],
  ["Two boxes as one", "two-boxes-as-one"],
  ["Outboard on an insert", "outboard-on-an-insert"],
  ["Voices before the faders", "voices-before-the-faders"],
  ["Main mix and raw voices", "main-mix-and-raw-voices"],
] as const

/** All rigs: open one, make a blank one, open the example, read one from a file. */
export function RigsScreen() {
  const go = useNavigate()
  const cache = useQueryClient()
  const file = useRef<HTMLInputElement>(null)
  const nameField = useRef<HTMLInputElement>(null)
  const [name, setName] = useState("")
  const [problem, setProblem] = useState<string | null>(null)
  const [leaving, setLeaving] = useState<string | null>(null)
  const [sought, setSought] = useState("")
  const [part, setPart] = useState("")
  const [putBy, setPutBy] = useState(false)
  const find = useRested(sought.trim(), 150)
  const finder = useRef<HTMLInputElement>(null)
  const parts = useParts()
  const rigs = useQuery({
    queryKey: ["rigs", find],
    queryFn: () =>
      answer<Schemas["RigSummary"][]>(client.GET("/api/rigs", { params: { query: find ? { find } : {} } })),
    placeholderData: (before) => before,
    staleTime: 0,
  })
  const all = rigs.data ?? []
  const away = all.filter((rig) => rig.archived).length
  // What is looked for is found wherever it is.
  const shown = all.filter((rig) => putBy || find || !rig.archived)

  const make = useMutation({
    mutationFn: (call: () => Promise<State>) => call(),
    onSuccess: (state) => {
      void cache.invalidateQueries({ queryKey: ["rigs"] })
      void go(`/rigs/${state.id}/${state.rig.gear?.length ? "lines" : "gear"}`)
    },
    onError: (error: Error) => setProblem(error.message),
  })
  const blank = () =>
    make.mutate(() =>
      answer<State>(
        client.POST("/api/rigs", { body: { name: name.trim() || "New rig", part: part || null } }),
      ),
    )
  const again = (id: string) =>
    make.mutate(() =>
      answer<State>(client.POST("/api/rigs/{rig_id}/duplicate", { params: { path: { rig_id: id } } })),
    )
  const archive = useMutation({
    mutationFn: ({ id, archived }: { id: string; archived: boolean }) =>
      answer<undefined>(
        client.PUT("/api/rigs/{rig_id}/archived", { params: { path: { rig_id: id } }, body: { archived } }),
      ),
    onSettled: () => cache.invalidateQueries({ queryKey: ["rigs"] }),
    onError: (error: Error) => setProblem(error.message),
  })
  const example = (name: string, example: string) =>
    make.mutate(() => answer<State>(client.POST("/api/rigs", { body: { name, example } })))
  const read = (chosen: File) =>
    make.mutate(async () => {
      // A bundle is packed; a rig alone is text.
      const packed = (await chosen.slice(0, 2).text()) === "PK"
      const response = await fetch(packed ? "/api/rigs/import-bundle" : "/api/rigs/import", {
        method: "POST",
        body: chosen,
        headers: { "Content-Type": packed ? "application/octet-stream" : "application/json" },
      })
      const body = (await response.json()) as State & { place?: string; detail?: string }
      if (!response.ok)
        throw new Problem(
          response.status,
          `${chosen.name}, ${body.place || "the whole file"}`,
          body.detail ?? "",
        )
      return body
    })
  const remove = useMutation({
    mutationFn: (id: string) =>
      answer<undefined>(client.DELETE("/api/rigs/{rig_id}", { params: { path: { rig_id: id } } })),
    onSettled: () => {
      setLeaving(null)
      void cache.invalidateQueries({ queryKey: ["rigs"] })
    },
    onError: (error: Error) => setProblem(error.message),
  })
  useKeys([
    { keys: "n", words: "New rig", run: () => nameField.current?.focus() },
    { keys: "/", words: "Find a rig by anything in it", run: () => finder.current?.focus() },
  ])

  return (
    <Box h="100%" overflow="auto" bg="paper">
      <Box maxW="980px" mx="auto" p="24px">
        <chakra.h1 textStyle="title" mb="4px">
          Iskelo
        </chakra.h1>
        <Box color="ink2" mb="16px">
          Say which signals must arrive where. Iskelo tells you whether they do, and proves it with sound.
        </Box>
        <Flex gap="8px" mb="8px" align="center" wrap="wrap">
          <chakra.form
            display="flex"
            gap="8px"
            onSubmit={(event) => {
              event.preventDefault()
              blank()
            }}
          >
            <Input
              ref={nameField}
              w="260px"
              h="28px"
              placeholder="Name of a new rig"
              aria-label="Name of a new rig"
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
            {parts.length > 0 && (
              <Select aria-label="Begin with" value={part} onChange={(event) => setPart(event.target.value)}>
                <option value="">blank</option>
                {parts.map((each) => (
                  <option key={each.id} value={each.id}>
                    {each.name}
                  </option>
                ))}
              </Select>
            )}
            <Button variant="ink" type="submit">
              New rig{" "}
              <Kbd borderColor="currentColor" color="inherit">
                n
              </Kbd>
            </Button>
          </chakra.form>
          <Button onClick={() => file.current?.click()}>Import a rig or a bundle…</Button>
          <Button onClick={() => example("Orrin Point", "orrin-point")}>Open the example</Button>
          <input
            ref={file}
            type="file"
            accept=".json,.zip,application/json,application/zip"
            hidden
            aria-label="Rig file"
            onChange={(event) => {
              const chosen = event.target.files?.[0]
              event.target.value = ""
              if (chosen) read(chosen)
            }}
          />
        </Flex>
        <Flex gap="4px" mb="12px" align="center" wrap="wrap" textStyle="cell" color="ink2">
          Examples:
          {EXAMPLES.map(([title, key]) => (
            <Button
              key={key}
              size="row"
              variant="link"
              aria-label={`Example: ${title.toLowerCase()}`}
              onClick={() => example(title, key)}
            >
              {title}
            </Button>
          ))}
        </Flex>
        {problem && (
          <Box
            role="alert"
            bg="waxWash"
            color="wax"
            p="8px"
            mb="8px"
            borderLeft="3px solid"
            borderColor="wax"
          >
            {problem}
          </Box>
        )}
        {rigs.error && (
          <Box role="alert" bg="waxWash" color="wax" p="8px" mb="8px">
            {rigs.error.message}
          </Box>
        )}
        <Flex gap="12px" mb="8px" align="center" textStyle="cell">
          <Box position="relative" w="340px">
            <Input
              ref={finder}
              w="100%"
              aria-label="Find a rig"
              placeholder="Find a rig, or anything in one: a voice, a bus, a tag"
              value={sought}
              onChange={(event) => setSought(event.target.value)}
              onKeyDown={(event) => {
                const [first] = shown
                if (event.key === "Escape") {
                  setSought("")
                  event.currentTarget.blur()
                } else if (event.key === "Enter" && first && find) void go(`/rigs/${first.id}/lines`)
              }}
            />
            <Box position="absolute" right="6px" top="4px">
              <Kbd>/</Kbd>
            </Box>
          </Box>
          {away > 0 && !find && (
            <label>
              <input type="checkbox" checked={putBy} onChange={(event) => setPutBy(event.target.checked)} />{" "}
              show the {away} put by
            </label>
          )}
          {find && rigs.data && shown.length === 0 && (
            <Box color="ink2">No rig holds anything called “{find}”.</Box>
          )}
        </Flex>
        <chakra.table
          w="100%"
          borderCollapse="collapse"
          bg="sheet"
          textStyle="cell"
          borderTop="1px solid"
          borderColor="edge"
        >
          <thead>
            <tr>
              {["Rig", "Lines", "Gear", "Revision", "Changed", ""].map((title, column) => (
                <chakra.th
                  key={title || column}
                  textStyle="head"
                  h="26px"
                  px="8px"
                  textAlign={column > 0 && column < 4 ? "right" : "left"}
                  borderBottom="1px solid"
                  borderColor="edge"
                >
                  {title}
                </chakra.th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.map((rig) => (
              <chakra.tr
                key={rig.id}
                h="28px"
                borderBottom="1px solid"
                borderColor="rule"
                _hover={{ bg: "sunk" }}
              >
                <chakra.td px="8px" fontWeight="600">
                  <Link to={`/rigs/${rig.id}/lines`}>{rig.name}</Link>
                  {rig.archived && (
                    <chakra.span color="ink2" fontWeight="400">
                      {" "}
                      put by
                    </chakra.span>
                  )}
                  {rig.holds && (
                    <Box color="ink2" fontWeight="400">
                      {rig.holds}
                    </Box>
                  )}
                </chakra.td>
                {[rig.lines, rig.gear, rig.revision].map((figure, column) => (
                  <chakra.td key={column} px="8px" textAlign="right">
                    <Figure>{figure}</Figure>
                  </chakra.td>
                ))}
                <chakra.td px="8px" color="ink2" whiteSpace="nowrap">
                  {new Date(rig.changed_at).toLocaleString("en-GB", {
                    dateStyle: "medium",
                    timeStyle: "short",
                  })}
                </chakra.td>
                <chakra.td px="8px" textAlign="right" whiteSpace="nowrap">
                  {leaving === rig.id ? (
                    <>
                      <Box as="span" color="wax" mr="8px">
                        With its history?
                      </Box>
                      <Button size="row" onClick={() => remove.mutate(rig.id)}>
                        Remove for good
                      </Button>{" "}
                      <Button size="row" variant="quiet" onClick={() => setLeaving(null)}>
                        Keep
                      </Button>
                    </>
                  ) : (
                    <>
                      <Button
                        size="row"
                        variant="quiet"
                        onClick={() => again(rig.id)}
                        aria-label={`Duplicate ${rig.name}`}
                      >
                        Duplicate
                      </Button>
                      <Button
                        size="row"
                        variant="quiet"
                        onClick={() => archive.mutate({ id: rig.id, archived: !rig.archived })}
                        aria-label={`${rig.archived ? "Take up" : "Put by"} ${rig.name}`}
                      >
                        {rig.archived ? "Take up" : "Put by"}
                      </Button>
                      <Button
                        size="row"
                        variant="quiet"
                        onClick={() => setLeaving(rig.id)}
                        aria-label={`Remove ${rig.name}`}
                      >
                        Remove
                      </Button>
                    </>
                  )}
                </chakra.td>
              </chakra.tr>
            ))}
          </tbody>
        </chakra.table>
      </Box>
    </Box>
  )
}
