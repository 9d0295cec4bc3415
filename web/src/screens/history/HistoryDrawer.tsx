import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type NowAfter as Trial, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Kbd } from "../../parts/controls"
import { Drawer } from "../../parts/Drawer"
import { useKeys } from "../../parts/keys"
import { NowAfter } from "../../parts/NowAfter"

type Revision = Schemas["Revision"]

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
  const go = () => {
    if (elsewhere && between.data) void jump(current.number)
  }
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
