import { Flex } from "@chakra-ui/react"

import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"

import type { LadderView } from "../../api/client"
import { useNumber } from "../gear/fields"

interface Reading {
  buffer_samples: number
  percent: number
}

/** What the program's own load meter reads, at one buffer or two: from these comes its time to spare. */
export function Readings({ ladder }: { ladder: LadderView }) {
  const { state, edit } = useRig()
  const number = useNumber()
  const program = state.rig.gear.find((gear) => gear.id === ladder.program)
  if (program?.kind !== "program") return null
  const readings: Reading[] = program.load_readings
  const sizes = ladder.rungs.map((rung) => rung.buffer_samples)
  const free =
    sizes.find((size) => size > ladder.buffer_samples && size !== readings[0]?.buffer_samples) ??
    sizes.find((size) => size !== readings[0]?.buffer_samples) ??
    ladder.buffer_samples
  const keep = (load_readings: Reading[]) =>
    edit([{ edit: "set", item: ladder.program, values: { load_readings } }])
  const put = (place: number, values: Partial<Reading>) => {
    const before = readings[place] ?? {
      buffer_samples: place === 0 ? ladder.buffer_samples : free,
      percent: 0,
    }
    const after = [...readings]
    after[place] = { ...before, ...values }
    return keep(after)
  }
  return (
    <Flex gap="5px" align="center" fontWeight="400">
      {readings.length === 0 ? "Type what its load meter reads now:" : "Its load meter reads"}
      {[0, 1].slice(0, readings.length + 1).map((place) => {
        const reading = readings[place]
        return (
          <Flex key={place} gap="5px" align="center">
            <Commit
              value={reading?.percent ?? null}
              label={`Load meter, reading ${place + 1}, in per cent`}
              width="46px"
              figure
              placeholder="—"
              onKeep={(text) =>
                text === ""
                  ? keep(readings.filter((_, index) => index !== place))
                  : number("Load meter", text, (percent) => put(place, { percent }))
              }
            />
            % at
            {reading ? (
              <Commit
                value={reading.buffer_samples}
                label={`Load meter, buffer of reading ${place + 1}`}
                width="46px"
                figure
                onKeep={(text) => number("Buffer", text, (buffer_samples) => put(place, { buffer_samples }))}
              />
            ) : (
              <span>{place === 0 ? ladder.buffer_samples : free}</span>
            )}
          </Flex>
        )
      })}
    </Flex>
  )
}
