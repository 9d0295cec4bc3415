import { Box } from "@chakra-ui/react"

import type { Destination } from "../../api/client"
import { DESTINATION_KINDS } from "../../api/rules"
import { Commit } from "../../parts/Commit"
import { Select } from "../../parts/controls"
import { Check, Row, Section, useNumber, useSet } from "./fields"
import { PluggedLeg } from "./Plugged"

export function DestinationFields({ destination }: { destination: Destination }) {
  const set = useSet(destination.id)
  const number = useNumber()
  return (
    <Section title="Destination">
      <Row words="Kind">
        <Select
          aria-label="Kind"
          value={destination.destination_kind}
          onChange={(event) => set({ destination_kind: event.target.value })}
        >
          {DESTINATION_KINDS.map((kind) => (
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
      {Array.from({ length: destination.width }, (_, leg) => (
        <PluggedLeg key={leg} owner={destination.id} bank="in" leg={leg + 1} width={destination.width} />
      ))}
    </Section>
  )
}
