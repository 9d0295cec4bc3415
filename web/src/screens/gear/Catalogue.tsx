import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"

import { answer, client, Problem, type Gear, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"

type Entry = Schemas["Entry"]
const KEY = ["catalogue"]

function kindOf(gear: Gear): string {
  switch (gear.kind) {
    case "source":
      return gear.source_kind
    case "interface":
      return `interface ${gear.jack_in} × ${gear.jack_out}, ${gear.capture} × ${gear.playback} channels`
    case "outboard":
      return gear.width === 2 ? "outboard gear, stereo" : "outboard gear"
    case "aggregate":
      return "joined boxes"
    case "program":
      return gear.program_kind
    case "destination":
      return gear.destination_kind
  }
}

/** Gear to add: what ships with Iskelo, and what somebody kept; kept pieces go to and come from files. */
export function Catalogue({ gear, onClose }: { gear: Gear | null; onClose: () => void }) {
  const { state, edit, say } = useRig()
  const cache = useQueryClient()
  const [wanted, setWanted] = useState("")
  const [at, setAt] = useState(0)
  const file = useRef<HTMLInputElement>(null)
  const found = useQuery({
    queryKey: KEY,
    queryFn: () => answer<Entry[]>(client.GET("/api/catalogue", {})),
  })
  const change = useMutation({
    mutationFn: (call: () => Promise<Entry[]>) => call(),
    onSuccess: (entries) => {
      cache.setQueryData(KEY, entries)
      say(null)
    },
    onError: (error: Error) => say(error.message),
  })
  const shown = (found.data ?? []).filter((entry) =>
    `${entry.gear.name} ${kindOf(entry.gear)}`.toLowerCase().includes(wanted.trim().toLowerCase()),
  )
  const add = (entry: Entry | undefined) => {
    if (entry) void edit([{ edit: "add_gear", gear: entry.gear }])
  }
  const keep = () => {
    if (!gear) return
    change.mutate(() =>
      answer<Entry[]>(client.POST("/api/catalogue", { body: { rig: state.id, gear: gear.id } })),
    )
  }
  const bring = async (picked: File) => {
    const response = await fetch("/api/catalogue/import", {
      method: "POST",
      body: picked,
      headers: { "Content-Type": "application/octet-stream" },
    })
    const body = (await response.json()) as Entry[] & { place?: string; detail?: string }
    if (!response.ok)
      throw new Problem(
        response.status,
        `${picked.name}${body.place ? `, ${body.place}` : ""}`,
        body.detail ?? "",
      )
    return body as Entry[]
  }
  useKeys([{ keys: "Escape", words: "Close the catalogue", run: onClose, inFields: true }])
  return (
    <Drawer title="Catalogue" note={`${found.data?.length ?? 0} pieces`} onClose={onClose}>
      <Flex p="8px 12px" gap="6px" flex="none">
        <Input
          autoFocus
          flex="1"
          aria-label="Find in the catalogue"
          placeholder="Name or kind; Enter adds it"
          value={wanted}
          onChange={(event) => {
            setAt(0)
            setWanted(event.target.value)
          }}
          onKeyDown={(event) => {
            if (event.key === "ArrowDown") setAt(Math.min(shown.length - 1, at + 1))
            else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1))
            else if (event.key === "Enter") add(shown[at])
            else return
            event.preventDefault()
          }}
        />
        <Kbd alignSelf="center">Enter</Kbd>
      </Flex>
      <Box flex="1" overflowY="auto" textStyle="cell">
        {shown.map((entry, index) => (
          <Flex
            key={entry.id ?? entry.gear.name}
            px="12px"
            py="4px"
            gap="8px"
            align="center"
            bg={index === at ? "wash" : "sheet"}
            boxShadow={index === at ? "inset 3px 0 0 {colors.sea}" : undefined}
            borderBottom="1px solid"
            borderColor="rule"
          >
            <Box flex="1" minW="0">
              <b>{entry.gear.name}</b>
              <Box color="ink2">
                {kindOf(entry.gear)}
                {entry.gear.notes && `. ${entry.gear.notes}`}
              </Box>
            </Box>
            {entry.id && (
              <Button
                size="row"
                variant="quiet"
                aria-label={`Take ${entry.gear.name} out of the catalogue`}
                onClick={() =>
                  change.mutate(() =>
                    answer<Entry[]>(
                      client.DELETE("/api/catalogue/{entry_id}", {
                        params: { path: { entry_id: entry.id ?? "" } },
                      }),
                    ),
                  )
                }
              >
                −
              </Button>
            )}
            <Button size="row" aria-label={`Add ${entry.gear.name}`} onClick={() => add(entry)}>
              Add
            </Button>
          </Flex>
        ))}
        {found.data && shown.length === 0 && (
          <Box p="12px" color="ink2">
            Nothing in the catalogue is called “{wanted}”.
          </Box>
        )}
      </Box>
      <Flex flex="none" p="8px 12px" gap="8px" borderTop="1px solid" borderColor="rule" align="center">
        <Button size="row" onClick={keep} disabled={!gear}>
          {gear ? `Keep ${gear.name}` : "Keep the chosen gear"}
        </Button>
        <Box flex="1" />
        <chakra.a href="/api/catalogue/export" download color="sea" fontWeight="600" textStyle="cell">
          Save as file
        </chakra.a>
        <Button size="row" variant="link" onClick={() => file.current?.click()}>
          Read a file, or a USB description…
        </Button>
        <input
          ref={file}
          type="file"
          hidden
          aria-label="Catalogue file"
          onChange={(event) => {
            const picked = event.target.files?.[0]
            event.target.value = ""
            if (picked) change.mutate(() => bring(picked))
          }}
        />
      </Flex>
    </Drawer>
  )
}
