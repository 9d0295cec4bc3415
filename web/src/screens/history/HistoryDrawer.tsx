import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type NowAfter as Trial, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Input, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"
import { useShown, WORKED_OUT } from "../../parts/seen"

type Revision = Schemas["Revision"]

/** Of old days the last revision alone: how many would go, before they do. */
function Thinning({ rig, onThin }: { rig: string; onThin: (days: number) => Promise<unknown> }) {
  const [days, setDays] = useState<string | null>(null)
  const wanted = days !== null && /^\d{1,4}$/.test(days) && Number(days) <= 3650 ? Number(days) : null
  const count = useQuery({
    queryKey: ["thinning", rig, wanted],
    enabled: wanted !== null,
    staleTime: 0,
    queryFn: () =>
      answer<number>(
        client.GET("/api/rigs/{rig_id}/thinning", {
          params: { path: { rig_id: rig }, query: { days: wanted ?? 30 } },
        }),
      ),
  })
  if (days === null)
    return (
      <Button size="row" variant="link" onClick={() => setDays("30")}>
        Thin old revisions…
      </Button>
    )
  return (
    <Box>
      <Flex as="label" align="center" gap="6px">
        Of what is older than
        <Input
          autoFocus
          w="52px"
          figure
          aria-label="Days to keep whole"
          bad={wanted === null}
          value={days}
          onChange={(event) => setDays(event.target.value)}
        />
        days, keep each day’s last revision, every named one, and those that were checked.
      </Flex>
      <Flex gap="8px" mt="6px" align="center">
        <Button
          size="row"
          disabled={!count.data}
          onClick={() => {
            if (wanted !== null) void onThin(wanted).then(() => setDays(null))
          }}
        >
          {count.data ? `Take ${count.data} away for good` : "Nothing to take away"}
        </Button>
        <Button size="row" variant="quiet" onClick={() => setDays(null)}>
          Leave them
        </Button>
      </Flex>
    </Box>
  )
}

/** Every revision in words: go to any, keep one under a name, see what lies between it and now. */
export function HistoryDrawer({ onClose }: { onClose: () => void }) {
  const { state, jump, say } = useRig()
  const cache = useQueryClient()
  const path = { rig_id: state.id }
  const [chosen, setChosen] = useState<number | null>(null)
  const found = useQuery({
    queryKey: ["history", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () => answer<Revision[]>(client.GET("/api/rigs/{rig_id}/history", { params: { path } })),
  })
  const rows = found.data ?? []
  const at = Math.max(
    0,
    rows.findIndex((row) => row.number === (chosen ?? state.revision)),
  )
  const current = rows[at]
  const elsewhere = current !== undefined && current.number !== state.revision
  const between = useQuery({
    queryKey: ["between", state.id, state.revision, current?.number],
    enabled: elsewhere,
    queryFn: () =>
      answer<Trial>(
        client.GET("/api/rigs/{rig_id}/compare", {
          params: { path, query: { earlier: state.revision, later: current?.number ?? 1 } },
        }),
      ),
  })
  const step = (by: number) =>
    setChosen(rows[Math.max(0, Math.min(rows.length - 1, at + by))]?.number ?? null)
  const go = useShown(
    elsewhere && between.data ? current : null,
    (revision) => jump(revision.number),
    elsewhere ? WORKED_OUT : "the rig is at this revision.",
  )
  const name = (number: number, wanted: string) =>
    answer<undefined>(
      client.PUT("/api/rigs/{rig_id}/history/{number}/name", {
        params: { path: { ...path, number } },
        body: { name: wanted || null },
      }),
    )
      .then(() => cache.invalidateQueries({ queryKey: ["history", state.id] }))
      .then(() => true)
      .catch((error: Error) => {
        say(error.message)
        return false
      })
  useKeys([
    { keys: "Escape", words: "Close the history", run: onClose },
    { keys: "ArrowDown", words: "Older", run: () => step(1) },
    { keys: "ArrowUp", words: "Newer", run: () => step(-1) },
    { keys: "Ctrl+Enter", words: "Go to this revision", run: go },
  ])
  return (
    <Drawer title="History" note={`${rows.length} revisions, newest first`} onClose={onClose}>
      <Box
        flex="1"
        minH="120px"
        overflowY="auto"
        role="listbox"
        aria-label="Revisions, newest first"
        tabIndex={0}
      >
        {rows.map((row, index) => (
          <Flex
            key={row.number}
            role="option"
            aria-selected={index === at}
            px="12px"
            py="5px"
            gap="10px"
            cursor="pointer"
            textStyle="cell"
            bg={index === at ? "wash" : "sheet"}
            boxShadow={index === at ? "inset 3px 0 0 {colors.sea}" : undefined}
            borderBottom="1px solid"
            borderColor="rule"
            onClick={() => setChosen(row.number)}
            ref={(element: HTMLDivElement | null) => {
              if (index === at) element?.scrollIntoView({ block: "nearest" })
            }}
          >
            <Figure w="34px" textAlign="right" flex="none">
              {row.number}
            </Figure>
            <Box flex="1" wordBreak="break-word">
              {row.kept_as && <b>“{row.kept_as}” </b>}
              {row.words}
              {row.number === state.revision && <chakra.b color="sea"> · now</chakra.b>}
            </Box>
            <chakra.span color="ink2" flex="none">
              {new Date(row.made_at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" })}
            </chakra.span>
          </Flex>
        ))}
      </Box>
      <Box flex="none" px="12px" py="6px" borderTop="1px solid" borderColor="rule" textStyle="cell">
        <Thinning
          rig={state.id}
          onThin={(days) =>
            answer<Revision[]>(client.POST("/api/rigs/{rig_id}/thin", { params: { path, query: { days } } }))
              .then(() => cache.invalidateQueries({ queryKey: ["history", state.id] }))
              .catch((error: Error) => say(error.message))
          }
        />
      </Box>
      {current && (
        <Box flex="none" maxH="60%" overflowY="auto" borderTop="1px solid" borderColor="edge" p="12px">
          <Flex as="label" align="center" gap="8px" mb="8px" textStyle="cell" whiteSpace="nowrap">
            Kept as
            <Commit
              key={current.number}
              value={current.kept_as}
              label={`Name of revision ${current.number}`}
              placeholder="name a snapshot"
              onKeep={(text) => name(current.number, text)}
            />
          </Flex>
          {elsewhere && between.data && (
            <>
              <Box textStyle="head" mb="4px">
                From now to revision {current.number}
              </Box>
              <NowAfter trial={between.data} settings />
              <Flex mt="8px">
                <Button variant="ink" onClick={go}>
                  Go to revision {current.number}{" "}
                  <Kbd borderColor="currentColor" color="inherit">
                    Ctrl Enter
                  </Kbd>
                </Button>
              </Flex>
            </>
          )}
        </Box>
      )}
    </Drawer>
  )
}
