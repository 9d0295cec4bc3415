import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useRef, useState } from "react"

import { answer, client, Problem, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Select } from "../../parts/controls"
import { useDraft } from "../../parts/drafts"
import { PencilForm } from "../../parts/PencilForm"
import { useRested } from "../../parts/rested"
import { useShown, WORKED_OUT } from "../../parts/seen"
import { STATES } from "./AggregateFields"

type Sheet = Schemas["JoinView"]["sheet"]

interface Typed {
  devices: string[] | null
  master: string | null
  matched: string[] | null
  buffer: number | null
  name: string
  names: string[]
  pad: boolean | null
  nameSources: boolean
}
const EMPTY: Typed = {
  devices: null,
  master: null,
  matched: null,
  buffer: null,
  name: "",
  names: [],
  pad: null,
  nameSources: false,
}

interface Props {
  /** The boxes that were marked, in the order in which they were. */
  marked: string[]
  onClose: () => void
  onMade: (device: string) => void
}

/** Boxes to be joined as one: a proposal with its reasons, names for the inputs, and what it would change. */
export function Join({ marked, onClose, onMade }: Props) {
  const { state, edit } = useRig()
  const [typed, put, clear] = useDraft(`join ${[...marked].sort().join(" ")}`, EMPTY)
  const { devices, master, matched, buffer, name, names, pad, nameSources } = typed
  const change = (changed: Partial<Typed>) => put({ ...typed, ...changed })
  const fields = useRef<HTMLDivElement>(null)
  const asked = {
    devices: devices ?? marked,
    keep_order: devices !== null,
    master,
    matched,
    buffer_samples: buffer,
    name: name.trim() || null,
    names,
    pad,
    name_sources: nameSources,
  }
  const wanted = useRested(JSON.stringify(asked), 150)
  const plan = useQuery({
    queryKey: ["join", state.id, state.revision, wanted],
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Schemas["JoinView"]>(
        client.POST("/api/rigs/{rig_id}/join", {
          params: { path: { rig_id: state.id } },
          body: JSON.parse(wanted) as Schemas["JoinRequest"],
        }),
      ),
  })
  const refusal = plan.error instanceof Problem ? plan.error : null
  const rested = wanted === JSON.stringify(asked)
  const current = rested && !plan.isPlaceholderData ? plan.data : undefined
  const press = useShown(
    current,
    (made) =>
      edit(made.sheet.edits).then((kept) => {
        if (!kept) return false
        clear()
        onMade(made.sheet.device.id)
        return true
      }),
    rested && refusal ? refusal.message : WORKED_OUT,
  )
  // What was proposed last stays while something typed is refused: nothing typed is lost.
  const [last, setLast] = useState<Sheet | null>(null)
  if (plan.data && plan.data.sheet !== last) setLast(plan.data.sheet)
  const sheet = plan.data?.sheet ?? last ?? undefined
  const up = (place: number) => {
    const order = sheet?.device.members.map((member) => member.box) ?? asked.devices
    const [box] = order.splice(place, 1)
    if (box) order.splice(place - 1, 0, box)
    change({ devices: [...order] })
  }
  const next = (place: number) =>
    fields.current?.querySelectorAll<HTMLInputElement>("input[data-channel]")[place]?.focus()
  return (
    <PencilForm
      label="Join boxes as one"
      make="Join"
      ready={sheet !== undefined}
      refusal={refusal}
      trial={plan.data?.trial}
      onMake={press}
      onClose={onClose}
      onClear={typed === EMPTY ? undefined : clear}
      keeps
      beside={
        sheet && (
          <Flex gap="16px" overflowY="auto" tabIndex={0} maxH="260px">
            <Names
              sheet={sheet}
              names={names}
              fields={fields}
              onName={(channel, text) => {
                const now = [...names]
                while (now.length < channel) now.push("")
                now[channel - 1] = text
                change({ names: now })
              }}
              onNext={next}
            />
            <Box minW="250px">
              <chakra.table borderCollapse="collapse" aria-label="Members">
                <tbody>
                  {sheet.device.members.map((member, place) => (
                    <tr key={member.box}>
                      <chakra.td pr="8px">
                        <b>{member.name}</b>
                      </chakra.td>
                      <chakra.td pr="8px" whiteSpace="nowrap">
                        in <Figure>{member.capture || "—"}</Figure> out{" "}
                        <Figure>{member.playback || "—"}</Figure>
                      </chakra.td>
                      <chakra.td pr="8px" color={member.state === "free" ? "wax" : undefined}>
                        {member.state === "matched" || member.state === "free" ? (
                          <label>
                            <input
                              type="checkbox"
                              aria-label={`Match ${member.name}`}
                              checked={member.state === "matched"}
                              onChange={(event) => {
                                const now = sheet.device.members
                                  .filter((each) => each.state === "matched" && each.box !== member.box)
                                  .map((each) => each.box)
                                change({ matched: event.target.checked ? [...now, member.box] : now })
                              }}
                            />{" "}
                            {STATES[member.state]}
                          </label>
                        ) : (
                          STATES[member.state]
                        )}
                      </chakra.td>
                      <td>
                        {place > 0 && (
                          <Button
                            size="row"
                            variant="quiet"
                            aria-label={`Move ${member.name} up`}
                            onClick={() => up(place)}
                          >
                            up
                          </Button>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </chakra.table>
              {sheet.reasons.map((words) => (
                <Box key={words}>{words}</Box>
              ))}
            </Box>
          </Flex>
        )
      }
    >
      <b>Join as</b>
      <Input
        w="190px"
        aria-label="Name of the device"
        placeholder={sheet?.device.name ?? "a name"}
        value={name}
        onChange={(event) => change({ name: event.target.value })}
      />
      {sheet && (
        <>
          <label>
            clock master{" "}
            <Select
              aria-label="Clock master"
              value={sheet.device.members.find((member) => member.state === "calls")?.box ?? ""}
              onChange={(event) => change({ master: event.target.value })}
            >
              {sheet.device.members.map((member) => (
                <option key={member.box} value={member.box}>
                  {member.name}
                </option>
              ))}
            </Select>
          </label>
          <label>
            buffer{" "}
            <Select
              aria-label="Buffer"
              value={sheet.device.buffer_samples}
              onChange={(event) => change({ buffer: Number(event.target.value) })}
            >
              {sheet.buffers_samples.map((size) => (
                <option key={size}>{size}</option>
              ))}
            </Select>
          </label>
          {(sheet.apart_samples > 0 || sheet.padded) && (
            <label>
              <input
                type="checkbox"
                checked={sheet.padded}
                onChange={(event) => change({ pad: event.target.checked })}
              />{" "}
              pad to the latest
            </label>
          )}
          {names.some(Boolean) && (
            <label>
              <input
                type="checkbox"
                checked={nameSources}
                onChange={(event) => change({ nameSources: event.target.checked })}
              />{" "}
              name what is plugged in, too
            </label>
          )}
        </>
      )}
    </PencilForm>
  )
}

/** A name for every input of the device; Enter goes on to the next. */
function Names(props: {
  sheet: Sheet
  names: string[]
  fields: React.RefObject<HTMLDivElement | null>
  onName: (channel: number, text: string) => void
  onNext: (place: number) => void
}) {
  const { sheet, names, fields, onName, onNext } = props
  return (
    <Box ref={fields} minW="270px">
      {sheet.device.capture.map((row, place) => (
        <Flex key={row.number} gap="8px" align="center" minH="26px">
          <Figure w="22px" textAlign="right" fontWeight="600">
            {row.number}
          </Figure>
          <Box w="110px" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis">
            {row.box} <Figure>{row.channel}</Figure>
          </Box>
          <Input
            autoFocus={place === 0}
            data-channel={row.number}
            w="120px"
            h="24px"
            aria-label={`Name of input ${row.number}`}
            placeholder={row.names.join(", ") || "name"}
            value={names[row.number - 1] ?? ""}
            onChange={(event) => onName(row.number, event.target.value)}
            onKeyDown={(event) => {
              if (event.key !== "Enter" || event.ctrlKey || event.metaKey) return
              event.preventDefault()
              event.stopPropagation()
              onNext(place + 1)
            }}
          />
        </Flex>
      ))}
    </Box>
  )
}
