import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type Edit, type Program, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Kbd, Select, TickBox } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { PencilForm } from "../../parts/PencilForm"
import { useNumber, useSet } from "../gear/fields"

type Together = Schemas["Together"]
type Sync = Schemas["SyncView"]
type Call = Schemas["CallView"]

/** Who follows whose clock and where clips lie; what far ends hear, and how late. */
export function SyncPart() {
  const { state, edit } = useRig()
  const [making, setMaking] = useState(false)
  const found = useQuery({
    queryKey: ["together", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Together>(client.GET("/api/rigs/{rig_id}/together", { params: { path: { rig_id: state.id } } })),
  })
  const programs = state.rig.gear.filter((gear): gear is Program => gear.kind === "program")
  const { syncs = [], calls = [], hosted = [] } = found.data ?? {}
  const untrimmed = syncs.find((each) => each.trim_ms !== null)
  const trim = (each: Sync) =>
    void edit([
      {
        edit: "set",
        item: each.id,
        values: { offset_ms: each.trim_ms, sent: each.trim_sent, read: each.trim_read },
      },
    ])
  useKeys([
    { keys: "n", words: "New sync link", run: () => setMaking(true) },
    ...(untrimmed ? [{ keys: "x", words: "Set the sync offset", run: () => trim(untrimmed) }] : []),
  ])
  if (programs.length < 2 && calls.length === 0) return null
  return (
    <Box as="section" aria-label="Sync and calls">
      <Flex
        minH="26px"
        align="center"
        px="12px"
        gap="12px"
        textStyle="head"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <chakra.h2>Sync and calls</chakra.h2>
        <Box flex="1" />
        {programs.length > 1 && (
          <Button size="row" variant="quiet" onClick={() => setMaking(true)}>
            New sync link <Kbd>n</Kbd>
          </Button>
        )}
      </Flex>
      {making && <NewLink programs={programs} onClose={() => setMaking(false)} />}
      {found.data && syncs.length === 0 && calls.length === 0 && !making && (
        <Box px="12px" py="4px" color="ink2" textStyle="cell">
          No program follows another's clock.
        </Box>
      )}
      {syncs.map((each) => (
        <SyncRow key={each.id} sync={each} first={each === untrimmed} onTrim={() => trim(each)} />
      ))}
      {hosted.map((each) => (
        <Flex
          key={each.id}
          px="12px"
          minH="30px"
          gap="8px"
          align="center"
          textStyle="cell"
          borderBottom="1px solid"
          borderColor="rule"
          aria-label={`${each.name} in ${each.leader}`}
        >
          <b>
            {each.name} in {each.leader}
          </b>
          <span>
            {each.ahead} buffer, {each.ahead_samples} samples ahead: {each.told}.
          </span>
        </Flex>
      ))}
      {calls.map((each) => (
        <CallRow key={each.id} call={each} />
      ))}
    </Box>
  )
}

/** From whom to whom: by Enter it is made, and the receiver follows. */
function NewLink({ programs, onClose }: { programs: Program[]; onClose: () => void }) {
  const { edit } = useRig()
  const leader = programs.find((each) => each.voices.length > 0) ?? programs[0]
  const [from, setFrom] = useState(leader?.id ?? "")
  const others = programs.filter((each) => each.id !== from)
  const [to, setTo] = useState("")
  const target =
    others.find((each) => each.id === to) ?? others.find((each) => each.tracks.length > 0) ?? others[0]
  const [carries, setCarries] = useState<"clock" | "notes" | "both">("clock")
  const add = async () => {
    if (!target) return
    const made: Edit = {
      edit: "add_sync",
      sender: from,
      receiver: target.id,
      clock: carries !== "notes",
      notes: carries !== "clock",
    }
    if (await edit([made])) onClose()
  }
  return (
    <PencilForm
      label="New sync link"
      make="Add link"
      enter
      ready={target !== undefined}
      refusal={null}
      trial={undefined}
      onMake={() => void add()}
      onClose={onClose}
    >
      <Select autoFocus aria-label="Who leads" value={from} onChange={(event) => setFrom(event.target.value)}>
        {programs.map((each) => (
          <option key={each.id} value={each.id}>
            {each.name}
          </option>
        ))}
      </Select>
      sends
      <Select
        aria-label="What it sends"
        value={carries}
        onChange={(event) => setCarries(event.target.value as "clock" | "notes" | "both")}
      >
        <option value="clock">its clock</option>
        <option value="notes">its notes</option>
        <option value="both">clock and notes</option>
      </Select>
      to
      <Select
        aria-label="Who follows"
        value={target?.id ?? ""}
        onChange={(event) => setTo(event.target.value)}
      >
        {others.map((each) => (
          <option key={each.id} value={each.id}>
            {each.name}
          </option>
        ))}
      </Select>
    </PencilForm>
  )
}

const ENDS = ["at block edges", "stamped"] as const

function SyncRow({ sync, first, onTrim }: { sync: Sync; first: boolean; onTrim: () => void }) {
  const { edit } = useRig()
  const set = useSet(sync.id)
  const follow = useSet(sync.follower_id)
  const number = useNumber()
  const said = `from ${sync.leader} to ${sync.follower}`
  const stamps = sync.trim_sent !== sync.sent || sync.trim_read !== sync.read
  const amiss = sync.clock && (!sync.follows || !sync.in_time)
  return (
    <Box
      px="12px"
      py="4px"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      aria-label={`Sync ${said}`}
    >
      <Flex gap="8px" align="center" wrap="wrap">
        <b>
          {sync.leader} → {sync.follower}
        </b>
        {(["clock", "notes"] as const).map((field) => (
          <TickBox
            key={field}
            words={field}
            label={`${field} ${said}`}
            on={sync[field]}
            onTurn={(on) => void set({ [field]: on })}
          />
        ))}
        <Select
          aria-label={`Whether ${sync.follower} follows`}
          value={String(sync.follows)}
          onChange={(event) => void follow({ follows_clock: event.target.value === "true" })}
        >
          <option value="true">follows, {sync.leader_bpm} bpm</option>
          <option value="false">own tempo, {sync.follower_bpm} bpm</option>
        </Select>
        {(["sent", "read"] as const).map((field) => (
          <Flex key={field} as="label" gap="4px" align="center" color="ink2">
            {field}
            <Select
              aria-label={`How messages ${said} are ${field}`}
              value={sync[field]}
              onChange={(event) => void set({ [field]: event.target.value })}
            >
              {ENDS.map((end) => (
                <option key={end}>{end}</option>
              ))}
            </Select>
          </Flex>
        ))}
        <Flex as="label" gap="4px" align="center" color="ink2">
          offset
          <Commit
            value={sync.offset_ms}
            label={`Sync offset ${said}`}
            width="64px"
            figure
            onKeep={(text) => number("Sync offset", text, (offset_ms) => set({ offset_ms }))}
          />
          ms
        </Flex>
        <Button
          size="row"
          variant="quiet"
          aria-label={`Remove the sync link ${said}`}
          onClick={() => void edit([{ edit: "remove", items: [sync.id] }])}
        >
          −
        </Button>
      </Flex>
      <Flex gap="8px" align="center" minH="26px">
        {amiss && <Mark severity="risk" />}
        <span>{sync.told}.</span>
        {sync.trim_ms !== null && (
          <Button
            size="row"
            onClick={onTrim}
            aria-label={`Set the sync offset ${said} to ${sync.trim_ms} ms`}
          >
            {stamps ? "Stamp, and set" : "Set"} {sync.trim_ms} ms {first && <Kbd>x</Kbd>}
          </Button>
        )}
      </Flex>
      {sync.clips.length > 1 && (
        <Box as="ul" listStyleType="none" color="ink2">
          {sync.clips
            .filter((clip) => !clip.in_time)
            .map((clip) => (
              <li key={clip.track}>
                {clip.name}: {clip.words}
              </li>
            ))}
        </Box>
      )}
    </Box>
  )
}

function CallRow({ call }: { call: Call }) {
  return (
    <Flex
      px="12px"
      minH="30px"
      gap="8px"
      align="center"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      aria-label={`Call ${call.name}`}
    >
      {call.hears_itself && <Mark severity="trouble" />}
      <b>
        {call.program} · {call.name}
      </b>
      <span>{call.told}.</span>
    </Flex>
  )
}
