import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useRef, useState } from "react"

import { answer, client, type Interface, type MixerView, type NowAfter } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Kbd } from "../../parts/controls"
import { sent, useDraft } from "../../parts/drafts"
import { useKeys } from "../../parts/keys"
import { useRested } from "../../parts/rested"

type Bank = "capture" | "jack_out"

/** What feeds the computer's channels and the output jacks; what is typed fills onward from the marked one. */
export function MixerFeeds({ box, view }: { box: Interface; view: MixerView | undefined }) {
  const { state, edit, take } = useRig()
  const [text, setText] = useDraft(`feeds ${box.id}`, "")
  const [bank, setBank] = useState<Bank>("capture")
  const [at, setAt] = useState(1)
  const [refused, setRefused] = useState<string | null>(null)
  const field = useRef<HTMLInputElement>(null)
  const rows = (bank === "capture" ? view?.channels : view?.jacks) ?? []
  const last = bank === "capture" ? box.capture : box.jack_out
  const what = bank === "capture" ? "usb" : "out"
  const before = useRef<Set<string> | null>(null)
  useEffect(() => field.current?.focus(), [])
  // What was typed took some channels: the next one is the first behind them.
  useEffect(() => {
    const known = before.current
    if (!known) return
    const fresh = (box.mixer?.feeds ?? []).filter((feed) => !known.has(feed.id) && feed.bank === bank)
    if (fresh.length === 0) return
    before.current = null
    const next = Math.max(...fresh.map((feed) => feed.number + feed.width))
    setAt(Math.min(next, last))
  }, [box.mixer, bank, last])
  useKeys([{ keys: "e", words: "Type what feeds a channel", run: () => field.current?.focus() }])
  const keep = async () => {
    before.current = new Set((box.mixer?.feeds ?? []).map((feed) => feed.id))
    const kept = await sent(field, text, setText, (text) =>
      edit([{ edit: "type_feeds", mixer: box.id, bank, number: at, text }]),
    )
    setRefused(kept ? null : take())
    if (!kept) before.current = null
  }
  const wanted = useRested(text.trim(), 250)
  const trial = useQuery({
    queryKey: ["feeds", state.id, state.revision, box.id, bank, at, wanted],
    enabled: wanted !== "",
    retry: false,
    queryFn: () =>
      answer<NowAfter>(
        client.POST("/api/rigs/{rig_id}/trial", {
          params: { path: { rig_id: state.id } },
          body: { edits: [{ edit: "type_feeds", mixer: box.id, bank, number: at, text: wanted }] },
        }),
      ),
  })
  const reason = refused ?? trial.error?.message
  const choose = (number: number) => {
    setAt(number)
    field.current?.focus()
  }
  return (
    <Flex direction="column" w="330px" flex="none" borderLeft="1px solid" borderColor="rule" textStyle="cell">
      <Flex
        as="form"
        h="34px"
        flex="none"
        align="center"
        gap="6px"
        px="8px"
        onSubmit={(event) => {
          event.preventDefault()
          void keep()
        }}
      >
        <chakra.button
          type="button"
          fontWeight="600"
          cursor="pointer"
          title="Channels for the computer, or output jacks"
          onClick={() => {
            setBank(bank === "capture" ? "jack_out" : "capture")
            setAt(1)
          }}
        >
          {what} {at}
        </chakra.button>
        <Input
          ref={field}
          flex="1"
          minW="0"
          bad={refused !== null}
          aria-invalid={refused !== null}
          aria-label="What feeds it"
          placeholder="main, in 1-4 raw, aux 3 pre"
          value={text}
          onChange={(event) => {
            setText(event.target.value)
            setRefused(null)
          }}
          onKeyDown={(event) => {
            if (event.key === "Escape") event.currentTarget.blur()
            if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return
            event.preventDefault()
            setAt(Math.max(1, Math.min(last, at + (event.key === "ArrowDown" ? 1 : -1))))
          }}
        />
        <Button size="row" type="submit">
          Feed <Kbd>Enter</Kbd>
        </Button>
      </Flex>
      {(refused !== null || (wanted !== "" && wanted === text.trim())) && (
        <Box px="8px" py="3px" bg="pencilWash" color={reason ? "wax" : "pencil"} role="status">
          {reason ?? trial.data?.words.replace(`${box.name}: `, "")}
        </Box>
      )}
      <Box flex="1" minH="0" overflowY="auto" as="ul" listStyleType="none" aria-label="Feeds" tabIndex={-1}>
        {rows.map((row) => (
          <Flex
            as="li"
            key={row.number}
            align="center"
            gap="8px"
            minH="24px"
            px="8px"
            borderTop="1px solid"
            borderColor="rule"
            bg={row.number === at ? "wash" : undefined}
            cursor="pointer"
            onClick={() => choose(row.number)}
          >
            <Figure w="46px" whiteSpace="nowrap">
              {what} {row.number}
            </Figure>
            <Box flex="1" minW="0" color={row.fed_by ? "ink" : "ink2"}>
              {row.fed_by || "fed by nothing"}
              {row.fixed && <chakra.span color="ink2"> · fixed</chakra.span>}
            </Box>
            <Box color="ink2" maxW="130px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {row.contains.join(", ")}
            </Box>
          </Flex>
        ))}
      </Box>
    </Flex>
  )
}
