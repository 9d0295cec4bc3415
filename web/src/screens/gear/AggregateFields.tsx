import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, type Aggregate, type Edit, type Interface, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Select } from "../../parts/controls"
import { usePropose } from "../../parts/propose"
import { Check, Row, Section, useNumber, useSet } from "./fields"

export type AggregateView = Schemas["AggregateView"]
export type MemberRow = AggregateView["members"][number]
type Members = Aggregate["members"]

/** Every device that is made of boxes, with its channel maps. */
export function useAggregates() {
  const { state } = useRig()
  return useQuery({
    queryKey: ["aggregates", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<AggregateView[]>(
        client.GET("/api/rigs/{rig_id}/aggregates", { params: { path: { rig_id: state.id } } }),
      ),
  })
}

export const STATES: Record<MemberRow["state"], string> = {
  calls: "clock master",
  "same clock": "same clock",
  matched: "rate matched",
  free: "free: it slips",
  absent: "absent",
}

/** Boxes joined as one: their order, whose clock leads, which are matched, and both channel maps. */
export function AggregateFields({ device }: { device: Aggregate }) {
  const { state, edit } = useRig()
  const propose = usePropose()
  const set = useSet(device.id)
  const number = useNumber()
  const view = useAggregates().data?.find((each) => each.id === device.id)
  const boxes = state.rig.gear.filter((gear): gear is Interface => gear.kind === "interface")
  const put = (members: Members, keep_names = true): Edit => ({
    edit: "set_members",
    aggregate: device.id,
    members,
    keep_names,
  })
  const move = (from: number, by: number) => {
    const members = [...device.members]
    const [member] = members.splice(from, 1)
    if (!member || from + by < 0 || from + by > members.length) return
    members.splice(from + by, 0, member)
    void edit([put(members)])
  }
  const free = boxes.filter((box) => !device.members.some((member) => member.device === box.id))
  return (
    <>
      <Section title="Members" note="in order; names keep their box">
        {device.members.map((member, place) => {
          const row = view?.members.find((each) => each.box === member.device)
          const name = boxes.find((box) => box.id === member.device)?.name ?? "gone"
          return (
            <Box
              key={member.device}
              data-member={name}
              borderBottom="1px solid"
              borderColor="rule"
              py="2px"
              tabIndex={0}
              aria-label={`Member ${place + 1}, ${name}`}
              _focusVisible={{ outline: "2px solid", outlineColor: "sea" }}
              onKeyDown={(event) => {
                if (!event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return
                event.preventDefault()
                event.stopPropagation()
                move(place, event.key === "ArrowUp" ? -1 : 1)
              }}
            >
              <Flex gap="4px" align="center">
                <Figure w="16px">{place + 1}</Figure>
                <b>{name}</b>
                <chakra.span color={row && ["free", "absent"].includes(row.state) ? "wax" : "ink2"}>
                  {row && STATES[row.state]}
                </chakra.span>
                <Box flex="1" />
                <Button
                  size="row"
                  variant="quiet"
                  aria-label={`Move ${name} up`}
                  disabled={place === 0}
                  onClick={() => move(place, -1)}
                >
                  up
                </Button>
                <Button
                  size="row"
                  variant="quiet"
                  aria-label={`Take ${name} out`}
                  onClick={() =>
                    void propose({
                      edits: [put(device.members.filter((each) => each.device !== member.device))],
                      words: `take ${name} out of ${device.name}`,
                      unlessHarmless: true,
                    })
                  }
                >
                  −
                </Button>
              </Flex>
              {row && row.state !== "absent" && (
                <Flex gap="10px" color="ink2" fontSize="12px" pl="20px">
                  <span>in {row.capture || "none"}</span>
                  <span>out {row.playback || "none"}</span>
                  <span>
                    {row.in_samples} / {row.out_samples} samples
                  </span>
                  {row.bars && <chakra.span color="wax">{row.bars}</chakra.span>}
                </Flex>
              )}
              {(row?.state === "free" || row?.state === "matched") && (
                <Box pl="20px">
                  <Check
                    words="Match its rate"
                    label={`Match the rate of ${name}`}
                    on={member.matched}
                    onChange={(matched) =>
                      void edit([
                        put(
                          device.members.map((each) =>
                            each.device === member.device ? { ...each, matched } : each,
                          ),
                        ),
                      ])
                    }
                  />
                </Box>
              )}
            </Box>
          )
        })}
        {free.length > 0 && (
          <Row words="Add">
            <Select
              aria-label="Add a member"
              value=""
              onChange={(event) =>
                event.target.value &&
                void edit([
                  put([...device.members, { device: event.target.value, driver: null, matched: true }]),
                ])
              }
            >
              <option value="">a box …</option>
              {free.map((box) => (
                <option key={box.id} value={box.id}>
                  {box.name}
                </option>
              ))}
            </Select>
          </Row>
        )}
      </Section>
      <Section title="Clock and buffer">
        <Row words="Clock master">
          <Select
            aria-label="Clock master"
            value={device.master ?? ""}
            onChange={(event) => void set({ master: event.target.value || null })}
          >
            <option value="">the first member</option>
            {device.members.map((member) => (
              <option key={member.device} value={member.device}>
                {boxes.find((box) => box.id === member.device)?.name}
              </option>
            ))}
          </Select>
        </Row>
        <Row words="Buffer">
          <Select
            aria-label="Buffer"
            value={device.buffer_samples}
            onChange={(event) => void set({ buffer_samples: Number(event.target.value) })}
          >
            {[...new Set([...(view?.buffers_samples ?? []), device.buffer_samples])].map((size) => (
              <option key={size} value={size}>
                {size} = {((1000 * size) / (view?.rate_hz ?? 48_000)).toFixed(2)} ms
              </option>
            ))}
          </Select>
        </Row>
        <Row words="Ring buffer margin">
          <Commit
            value={device.margin_samples}
            label="Ring buffer margin"
            width="60px"
            figure
            onKeep={(text) => number("Margin", text, (margin_samples) => set({ margin_samples }))}
          />
        </Row>
        <Check
          words="Line its members up to the longest"
          on={device.align !== "none"}
          onChange={(on) => void set({ align: on ? "pad to the longest" : "none" })}
        />
        <Check words="Can match rates" on={device.matches} onChange={(matches) => void set({ matches })} />
        {view && view.skew_samples > 0 && (
          <Box color="ink2">Its inputs are {view.skew_samples} samples apart.</Box>
        )}
      </Section>
      {view && view.moved.length > 0 && (
        <Section title="Moved names">
          {view.moved.map((words) => (
            <Box key={words} color="wax">
              {words}
            </Box>
          ))}
        </Section>
      )}
      {view && <ChannelMap title="Inputs" rows={view.capture} />}
      {view && <ChannelMap title="Outputs" rows={view.playback} />}
    </>
  )
}

/** The device's numbers, whose channels they are, and the names on them. */
export function ChannelMap({ title, rows }: { title: string; rows: AggregateView["capture"] }) {
  return (
    <Section title={title} note={`${rows.length} channels`}>
      <chakra.table w="100%" borderCollapse="collapse" aria-label={title}>
        <tbody>
          {rows.map((row) => (
            <tr key={row.number}>
              <chakra.td w="30px" textAlign="right" pr="8px">
                <Figure fontWeight="600">{row.number}</Figure>
              </chakra.td>
              <chakra.td pr="8px" whiteSpace="nowrap">
                {row.box} <Figure>{row.channel}</Figure>
              </chakra.td>
              <td>{row.names.join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </chakra.table>
    </Section>
  )
}
