import { Box, Flex, chakra } from "@chakra-ui/react"
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import { useRef, useState } from "react"

import { answer, client, Problem, type Gear } from "../../api/client"
import { PARTS, useParts, type Part } from "../../api/parts"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd } from "../../parts/controls"
import { Commit } from "../../parts/Commit"
import { Drawer } from "../../parts/Drawer"
import { sent, useDraft } from "../../parts/drafts"
import { useKeys } from "../../parts/keys"

type Kind = Part["kinds"][number]

interface Props {
  /** What a part would be kept of: the chosen gear, or all that is marked. */
  gear: Gear[]
  onBring: (part: Part) => void
  onClose: () => void
}

/** Parts of rigs, kept to be brought in again: the one used last first; kept from here, shared as files. */
export function Parts({ gear, onBring, onClose }: Props) {
  const { say } = useRig()
  const cache = useQueryClient()
  const [wanted, setWanted] = useState("")
  const [at, setAt] = useState(0)
  const [naming, setNaming] = useState<string | null>(null)
  const file = useRef<HTMLInputElement>(null)
  const parts = useParts()
  const change = useMutation({
    mutationFn: (call: () => Promise<Part[]>) => call(),
    onSuccess: (entries) => {
      cache.setQueryData(PARTS, entries)
      setNaming(null)
      say(null)
    },
    onError: (error: Error) => say(error.message),
  })
  const shown = parts.filter((part) =>
    `${part.name} ${part.pieces.join(" ")}`.toLowerCase().includes(wanted.trim().toLowerCase()),
  )
  const bring = async (picked: File) => {
    const response = await fetch("/api/parts/import", {
      method: "POST",
      body: picked,
      headers: { "Content-Type": "application/json" },
    })
    const body = (await response.json()) as Part[] & { place?: string; detail?: string }
    if (!response.ok)
      throw new Problem(
        response.status,
        `${picked.name}${body.place ? `, ${body.place}` : ""}`,
        body.detail ?? "",
      )
    return body as Part[]
  }
  useKeys([{ keys: "Escape", words: "Close the parts", run: onClose, inFields: true }])
  return (
    <Drawer title="Parts" note={`${parts.length} kept, last used first`} onClose={onClose}>
      <Keep
        key={gear.map((each) => each.id).join()}
        gear={gear}
        names={parts.map((part) => part.name.toLowerCase())}
        onKeep={(call) =>
          change.mutateAsync(call).then(
            () => true,
            () => false,
          )
        }
        busy={change.isPending}
      />
      <Flex p="8px 12px" gap="6px" flex="none">
        <Input
          autoFocus={gear.length === 0}
          flex="1"
          aria-label="Find a part"
          placeholder="Name of a part, or of what is in it"
          value={wanted}
          onChange={(event) => {
            setAt(0)
            setWanted(event.target.value)
          }}
          onKeyDown={(event) => {
            const chosen = shown[at]
            if (event.key === "ArrowDown") setAt(Math.min(shown.length - 1, at + 1))
            else if (event.key === "ArrowUp") setAt(Math.max(0, at - 1))
            else if (event.key === "Enter" && chosen) onBring(chosen)
            else return
            event.preventDefault()
          }}
        />
        <Kbd alignSelf="center">Enter</Kbd>
      </Flex>
      <Box
        flex="1"
        overflowY="auto"
        textStyle="cell"
        role="list"
        aria-label="Parts that were kept"
        tabIndex={0}
      >
        {shown.map((part, index) => (
          <Box
            key={part.id}
            role="listitem"
            px="12px"
            py="5px"
            bg={index === at ? "wash" : "sheet"}
            boxShadow={index === at ? "inset 3px 0 0 {colors.sea}" : undefined}
            borderBottom="1px solid"
            borderColor="rule"
            onClick={() => setAt(index)}
          >
            <Flex gap="8px" align="center">
              <Box flex="1" minW="0">
                {naming === part.id ? (
                  <Commit
                    value={part.name}
                    label={`Name of the part ${part.name}`}
                    onKeep={(name) =>
                      change
                        .mutateAsync(() =>
                          answer<Part[]>(
                            client.PUT("/api/parts/{part_id}/name", {
                              params: { path: { part_id: part.id } },
                              body: { name },
                            }),
                          ),
                        )
                        .then(
                          () => true,
                          () => false,
                        )
                    }
                  />
                ) : (
                  <b>{part.name}</b>
                )}
              </Box>
              <Button size="row" aria-label={`Bring in ${part.name}`} onClick={() => onBring(part)}>
                Bring in
              </Button>
            </Flex>
            <Box color="ink2">
              {part.pieces.slice(0, 4).join(", ")}
              {part.pieces.length > 4 && ` and ${part.pieces.length - 4} more`}: {part.kinds.join(", ")}
            </Box>
            {index === at && (
              <Flex gap="10px" mt="2px">
                <chakra.a
                  href={`/api/parts/${part.id}/file`}
                  download
                  color="sea"
                  fontWeight="600"
                  aria-label={`Save ${part.name} as a file`}
                >
                  Save as file
                </chakra.a>
                <Button size="row" variant="link" onClick={() => setNaming(part.id)}>
                  Rename
                </Button>
                <Button
                  size="row"
                  variant="link"
                  aria-label={`Take out ${part.name}`}
                  onClick={() =>
                    change.mutate(() =>
                      answer<Part[]>(
                        client.DELETE("/api/parts/{part_id}", { params: { path: { part_id: part.id } } }),
                      ),
                    )
                  }
                >
                  Take out
                </Button>
              </Flex>
            )}
          </Box>
        ))}
        {shown.length === 0 && (
          <Box p="12px" color="ink2">
            {parts.length === 0
              ? "Nothing is kept yet. Choose gear, or mark several pieces with Space, and keep it under a name: a program's buses, a box with its trims, a whole rig."
              : `No part is called “${wanted}”.`}
          </Box>
        )}
      </Box>
      <Flex flex="none" p="8px 12px" gap="8px" borderTop="1px solid" borderColor="rule" align="center">
        <Button size="row" variant="link" onClick={() => file.current?.click()}>
          Read a part from a file…
        </Button>
        <input
          ref={file}
          type="file"
          hidden
          accept=".json,application/json"
          aria-label="Part file"
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

/** Keep the chosen gear, or some of what is in it, under a name. */
function Keep(props: {
  gear: Gear[]
  names: string[]
  busy: boolean
  onKeep: (call: () => Promise<Part[]>) => Promise<boolean>
}) {
  const { state } = useRig()
  const { gear, names } = props
  const [name, setName] = useDraft("part", "")
  const field = useRef<HTMLInputElement>(null)
  const [left, setLeft] = useState<Kind[]>([])
  const pieces = gear.map((each) => each.id)
  const able = useQuery({
    queryKey: ["keepable", state.id, state.revision, pieces.join()],
    enabled: pieces.length > 0,
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Kind[]>(
        client.GET("/api/rigs/{rig_id}/keepable", {
          params: { path: { rig_id: state.id }, query: { piece: pieces } },
        }),
      ),
  })
  const kinds = (able.data ?? []).filter((kind) => !left.includes(kind))
  // Before it is known what there is, all of it is kept.
  const nothing = able.data !== undefined && kinds.length === 0
  const there = names.includes(name.trim().toLowerCase())
  const [first] = gear
  if (!first)
    return (
      <Box px="12px" pt="8px" color="ink2" textStyle="cell">
        To keep a part, choose a card first, or mark several with <Kbd>Space</Kbd>.
      </Box>
    )
  return (
    <chakra.form
      aria-label="Keep a part"
      p="8px 12px"
      borderBottom="1px solid"
      borderColor="rule"
      textStyle="cell"
      onSubmit={(event) => {
        event.preventDefault()
        if (!name.trim() || nothing) return
        void sent(field, name, setName, (name) =>
          props.onKeep(() =>
            answer<Part[]>(
              client.POST("/api/parts", {
                body: {
                  rig: state.id,
                  name: name.trim(),
                  pieces,
                  kinds: able.data ? kinds : null,
                  replace: there,
                },
              }),
            ),
          ),
        )
      }}
    >
      <Box mb="4px">
        Keep of <b>{gear.length === 1 ? first.name : `${first.name} and ${gear.length - 1} more`}</b>
      </Box>
      <Flex wrap="wrap" gap="4px 12px" mb="6px">
        {(able.data ?? []).map((kind) => (
          <label key={kind}>
            <input
              type="checkbox"
              checked={!left.includes(kind)}
              onChange={(event) =>
                setLeft(event.target.checked ? left.filter((each) => each !== kind) : [...left, kind])
              }
            />{" "}
            {kind}
          </label>
        ))}
      </Flex>
      <Flex gap="6px">
        <Input
          ref={field}
          autoFocus
          flex="1"
          aria-label="Keep as"
          placeholder="Name of the part"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        <Button variant="ink" size="row" type="submit" disabled={!name.trim() || nothing || props.busy}>
          {there ? "Keep in its place" : "Keep"}{" "}
          <Kbd borderColor="currentColor" color="inherit">
            Enter
          </Kbd>
        </Button>
      </Flex>
    </chakra.form>
  )
}
