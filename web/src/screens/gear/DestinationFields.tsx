import { Box } from "@chakra-ui/react"

import type { Destination } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Select } from "../../parts/controls"
import { Check, Row, Section, useNumber, useSet } from "./fields"

export function DestinationFields({ destination }: { destination: Destination }) {
  const { state, edit } = useRig()
  const set = useSet(destination.id)
  const number = useNumber()
  const boxes = state.rig.gear.filter((gear) => gear.kind === "interface")
  const leads = state.rig.patches.filter((patch) => patch.to_port[0] === destination.id)
  return (
    <Section title="Destination">
      <Row words="Kind">
        <Select
          aria-label="Kind"
          value={destination.destination_kind}
          onChange={(event) => set({ destination_kind: event.target.value })}
        >
          {["headphones", "loudspeakers", "feed"].map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </Select>
      </Row>
      <Check words="Stereo" on={destination.width === 2} onChange={(on) => set({ width: on ? 2 : 1 })} />
      <Row words="Takes at most">
        <Commit
          value={destination.highest_dbu ?? null}
          label="Highest level in dBu"
          width="60px"
          figure
          placeholder="any"
          onKeep={(text) =>
            text === ""
              ? set({ highest_dbu: null })
              : number("Highest level", text, (highest_dbu) => set({ highest_dbu }))
          }
        />
        <Box w="46px" color="ink2">
          dBu
        </Box>
      </Row>
      <Row words="Expects">
        <Select
          aria-label="Level expected in"
          value={destination.level_unit}
          onChange={(event) => void set({ level_unit: event.target.value })}
        >
          <option value="dBu">dBu, professional</option>
          <option value="dBV">dBV, consumer</option>
        </Select>
      </Row>
      {Array.from({ length: destination.width }, (_, leg) => {
        const lead = leads.find((patch) => patch.to_port[2] === leg + 1)
        return (
          <Row key={leg} words={destination.width === 2 ? `${"LR"[leg]} from` : "from"}>
            <Select
              aria-label={`Leg ${leg + 1} from`}
              value={lead ? `${lead.from_port[0]}/${lead.from_port[2]}` : ""}
              onChange={(event) => {
                const [box, jack] = event.target.value.split("/")
                if (!box) {
                  if (lead) void edit([{ edit: "remove", items: [lead.id] }])
                } else
                  void edit([
                    {
                      edit: "plug",
                      from_port: [box, "jack_out", Number(jack)],
                      to_port: [destination.id, "in", leg + 1],
                      replace: true,
                    },
                  ])
              }}
            >
              <option value="">nothing</option>
              {boxes.flatMap((box) =>
                Array.from({ length: box.jack_out }, (_, jack) => (
                  <option key={`${box.id}/${jack}`} value={`${box.id}/${jack + 1}`}>
                    {box.name} out {jack + 1}
                  </option>
                )),
              )}
            </Select>
          </Row>
        )
      })}
    </Section>
  )
}
