import { Box, Flex } from "@chakra-ui/react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { DRIVER_KINDS } from "../../api/rules"
import { Button, Select } from "../../parts/controls"
import { Offsets } from "../../parts/Offsets"
import { useCarefulSet, usePropose } from "../../parts/propose"
import { Check, NumberList, OriginRow, Row, Section, Some, useSet } from "./fields"

type Driver = Interface["drivers"][number]

const CLIENTS: [Driver["clients"], string][] = [
  ["many", "many programs"],
  ["one", "one program at a time"],
  ["one, lets go in the background", "one, lets go in the background"],
]

/** The ways a computer opens this box; the first is what a program takes that says nothing else. */
export function Drivers({ box }: { box: Interface }) {
  const { edit } = useRig()
  return (
    <Section title="Drivers">
      {box.drivers.map((driver, index) => (
        <DriverFields key={driver.id} box={box} driver={driver} place={index} />
      ))}
      <Button
        size="row"
        onClick={() =>
          void edit([{ edit: "add_driver", interface: box.id, kind: missingKind(box), buffer_samples: 512 }])
        }
      >
        Add a driver
      </Button>
    </Section>
  )
}

/** A kind of driver that the box does not have yet, the commonest first. */
function missingKind(box: Interface): Driver["kind"] {
  const usual = ["system, shared", "system, sole use", "wrapper", "vendor"] as const
  return usual.find((kind) => box.drivers.every((driver) => driver.kind !== kind)) ?? "system, shared"
}

function DriverFields({ box, driver, place }: { box: Interface; driver: Driver; place: number }) {
  const { state, edit } = useRig()
  const set = useSet(driver.id)
  const propose = usePropose()
  const careful = useCarefulSet(driver.id, `${box.name}, ${driver.kind} driver`)
  const users = state.rig.gear.filter(
    (gear) =>
      gear.kind === "program" &&
      gear.device === box.id &&
      (gear.driver === driver.id || (place === 0 && !gear.driver)),
  )
  // The first driver's fields keep their short names; the others say which they are of.
  const of = (words: string) => (place === 0 ? words : `${words} of driver ${place + 1}`)
  return (
    <Box borderLeft="2px solid" borderColor="rule" pl="6px" mb="8px">
      <Flex gap="6px" align="center" minH="28px">
        <Select
          flex="1"
          aria-label={of("Driver kind")}
          value={driver.kind}
          onChange={(event) => void careful({ kind: event.target.value }, event.target.value)}
        >
          {DRIVER_KINDS.map((kind) => (
            <option key={kind}>{kind}</option>
          ))}
        </Select>
        {box.drivers.length > 1 && (
          <Button
            size="row"
            variant="quiet"
            aria-label={`Remove driver ${place + 1}`}
            onClick={() => void edit([{ edit: "remove", items: [driver.id] }])}
          >
            −
          </Button>
        )}
      </Flex>
      {users.length > 0 && <Box color="ink2">opened by {users.map((gear) => gear.name).join(", ")}</Box>}
      <Row words="Buffer">
        <Select
          aria-label={of("Buffer")}
          value={driver.buffer_samples}
          onChange={(event) =>
            void propose({
              edits: [
                { edit: "set", item: driver.id, values: { buffer_samples: Number(event.target.value) } },
              ],
              words: `set the buffer of ${box.name}, ${driver.kind} driver, to ${event.target.value}`,
            })
          }
        >
          {driver.buffers_samples.map((size) => (
            <option key={size} value={size}>
              {size} = {((1000 * size) / box.rate_hz).toFixed(2)} ms
            </option>
          ))}
        </Select>
      </Row>
      <Row words="Set in">
        <Select
          aria-label={of("Buffer and rate are set in")}
          value={driver.set_in}
          onChange={(event) => void set({ set_in: event.target.value })}
        >
          <option>the program</option>
          <option>its own panel</option>
        </Select>
      </Row>
      <Row words="Buffers it allows">
        <NumberList
          label={of("Buffers it allows")}
          values={driver.buffers_samples}
          onKeep={(buffers_samples) => set({ buffers_samples })}
        />
      </Row>
      {driver.kind === "system, shared" && (
        <Some
          words="Engine period"
          label={of("Engine period")}
          none="none"
          value={driver.engine_samples}
          onKeep={(engine_samples) => set({ engine_samples })}
        />
      )}
      <Check
        words="Installed"
        label={of("Installed")}
        on={driver.installed}
        onChange={(installed) => void careful({ installed }, installed ? "installed" : "not installed")}
      />
      <Row words="Takes">
        <Select
          aria-label={of("Programs at a time")}
          value={driver.clients}
          onChange={(event) => void careful({ clients: event.target.value }, `takes ${event.target.value}`)}
        >
          {CLIENTS.map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </Select>
      </Row>
      <Some
        words="Capture shown"
        label={of("Capture shown")}
        value={driver.capture}
        onKeep={(capture) => careful({ capture }, `shows ${capture ?? "all"} capture channels`)}
      />
      <Some
        words="Playback shown"
        label={of("Playback shown")}
        value={driver.playback}
        onKeep={(playback) => careful({ playback }, `shows ${playback ?? "all"} playback channels`)}
      />
      <OriginRow
        item={driver.id}
        field="safety_in_samples"
        words="Safety in"
        label={of("Safety in")}
        unit="samples"
        value={driver.safety_in_samples}
        origins={driver.origins}
      />
      <OriginRow
        item={driver.id}
        field="safety_out_samples"
        words="Safety out"
        label={of("Safety out")}
        unit="samples"
        value={driver.safety_out_samples}
        origins={driver.origins}
      />
      {driver.offsets.length > 0 && (
        <Box>
          Known, in place of these:
          <Offsets driver={driver} />
        </Box>
      )}
      <Check
        words="Resamples"
        label={of("Resamples")}
        on={driver.resamples}
        onChange={(resamples) => void set({ resamples })}
      />
      {driver.resamples && (
        <Row words="Quality">
          <Select
            aria-label={of("Quality of resampling")}
            value={driver.resampling_quality ?? ""}
            onChange={(event) => void set({ resampling_quality: event.target.value || null })}
          >
            <option value="">not known</option>
            <option value="quick">quick, short filter</option>
            <option value="good">good</option>
            <option value="best">best, long filter</option>
          </Select>
        </Row>
      )}
      {driver.resamples && (
        <OriginRow
          item={driver.id}
          field="resampling_samples"
          words="Resampling takes"
          label={of("Resampling takes")}
          unit="samples"
          value={driver.resampling_samples}
          origins={driver.origins}
        />
      )}
    </Box>
  )
}
