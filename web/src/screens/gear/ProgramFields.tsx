import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Program } from "../../api/client"
import { useRig } from "../../api/rig"
import { PROGRAM_KINDS, RATES_HZ } from "../../api/rules"
import { Select } from "../../parts/controls"
import { usePropose } from "../../parts/propose"
import { useAggregates } from "./AggregateFields"

import { Hosting } from "./Hosting"
import { Buses, Voices } from "./Mixes"
import { Ports, Tracks } from "./ProgramItems"
import { Sends } from "./Sends"
import { Song } from "./Song"
import { Check, NumberRow, Row, Section, Some, useSet } from "./fields"

/** A program: its device and driver, enabled channels, inputs, tracks, voices, buses, sends and outputs. */
export function ProgramFields({ program }: { program: Program }) {
  const { state } = useRig()
  const propose = usePropose()
  const boxes = state.rig.gear.filter((gear) => gear.kind === "interface")
  const box = boxes.find((each) => each.id === program.device)
  const joined = state.rig.gear.filter((gear) => gear.kind === "aggregate")
  const out = boxes.find((each) => each.id === program.output_device)
  // A device that lets every program have its own buffer.
  const calling = out ?? box
  const view = useAggregates().data?.find((each) => each.id === program.device)
  const set = useSet(program.id)
  const programs = state.rig.gear.filter((gear): gear is Program => gear.kind === "program")
  const leaders = programs.filter((each) => each.id !== program.id && !each.hosted)
  return (
    <>
      <Section title="Device">
        <Row words="Kind">
          <Select
            aria-label="Kind"
            value={program.program_kind}
            onChange={(event) => void set({ program_kind: event.target.value })}
          >
            {PROGRAM_KINDS.map((kind) => (
              <option key={kind}>{kind}</option>
            ))}
          </Select>
        </Row>
        <Row words="Opens">
          <Select
            aria-label="Device"
            value={program.hosted ? `in ${program.hosted.leader}` : (program.device ?? "")}
            onChange={(event) => {
              const { value } = event.target
              const words = event.target.selectedOptions[0]?.text ?? "no device"
              const leader = value.startsWith("in ") ? value.slice(3) : null
              void propose({
                edits: leader
                  ? [{ edit: "set", item: program.id, values: { hosted: { leader } } }]
                  : [
                      ...(program.hosted
                        ? [{ edit: "set" as const, item: program.id, values: { hosted: null } }]
                        : []),
                      { edit: "set_device", program: program.id, device: value || null },
                    ],
                words: leader ? `${program.name} ${words}` : `${program.name} opens ${words}`,
                unlessHarmless: true,
              })
            }}
          >
            <option value="">no device</option>
            {[...joined, ...boxes].map((each) => (
              <option key={each.id} value={each.id}>
                {each.name}
                {each.kind === "aggregate" && ", joined"}
              </option>
            ))}
            {leaders.map((each) => (
              <option key={each.id} value={`in ${each.id}`}>
                runs in {each.name}
              </option>
            ))}
          </Select>
        </Row>
        {(
          [
            [
              "default_output",
              "What is added goes to",
              "nowhere yet",
              [...program.outputs, ...program.buses],
            ],
            ["solo_output", "Solo is heard", "in place", program.outputs],
            ["audition_output", "Files are auditioned at", "not said", program.outputs],
          ] as const
        ).map(([field, words, none, outputs]) =>
          outputs.length > 0 ? (
            <Row key={field} words={words}>
              <Select
                aria-label={words}
                value={program[field] ?? ""}
                onChange={(event) => void set({ [field]: event.target.value || null })}
              >
                <option value="">{none}</option>
                {outputs.map((each) => (
                  <option key={each.id} value={each.id}>
                    {field === "solo_output" ? `at ${each.name}` : each.name}
                  </option>
                ))}
              </Select>
            </Row>
          ) : null,
        )}
        {program.hosted && <Hosting program={program} hosted={program.hosted} />}
        {box && (
          <Row words="Plays to">
            <Select
              aria-label="Output device"
              value={program.output_device ?? ""}
              onChange={(event) =>
                void propose({
                  edits: [
                    { edit: "set_output_device", program: program.id, device: event.target.value || null },
                  ],
                  words: `${program.name} plays to ${event.target.selectedOptions[0]?.text ?? "the same"}`,
                })
              }
            >
              <option value="">the same</option>
              {boxes
                .filter((each) => each.id !== box.id)
                .map((each) => (
                  <option key={each.id} value={each.id}>
                    {each.name}
                  </option>
                ))}
            </Select>
          </Row>
        )}
        {calling?.drivers.some((driver) => driver.own_blocks) && (
          <Some
            words="Its buffer"
            none={String(calling.drivers[0]?.buffer_samples ?? "")}
            value={program.buffer_samples}
            onKeep={(buffer_samples) => set({ buffer_samples })}
          />
        )}
        {out && (
          <>
            <Check
              words="Match its input to the output's rate"
              on={program.matched}
              onChange={(matched) => void set({ matched })}
            />
            <NumberRow
              words="Margin between the two"
              unit="samples"
              value={program.margin_samples}
              onKeep={(margin_samples) => set({ margin_samples })}
            />
          </>
        )}
        {box && box.drivers.length > 1 && (
          <Row words="By">
            <Select
              aria-label="Driver"
              value={program.driver ?? ""}
              onChange={(event) =>
                void propose({
                  edits: [
                    {
                      edit: "set_device",
                      program: program.id,
                      device: box.id,
                      driver: event.target.value || null,
                    },
                  ],
                  words: `${program.name} opens ${box.name} by driver ${event.target.selectedOptions[0]?.text ?? ""}`,
                })
              }
            >
              <option value="">its first, {box.drivers[0]?.kind}</option>
              {box.drivers.map((driver, index) => (
                <option key={driver.id} value={driver.id}>
                  {index + 1} {driver.kind}
                  {driver.installed ? "" : ", not installed"}
                </option>
              ))}
            </Select>
          </Row>
        )}
        <Row words="Set to">
          <Select
            aria-label="Rate of the program"
            value={program.rate_hz ?? ""}
            onChange={(event) =>
              void propose({
                edits: [
                  {
                    edit: "set",
                    item: program.id,
                    values: { rate_hz: event.target.value ? Number(event.target.value) : null },
                  },
                ],
                words: `${program.name} is set to ${event.target.selectedOptions[0]?.text ?? ""}`,
              })
            }
          >
            <option value="">the rate of its device</option>
            {[
              ...new Set([
                ...RATES_HZ,
                ...(box?.rates_hz ?? []),
                ...(program.rate_hz ? [program.rate_hz] : []),
              ]),
            ]
              .sort((one, other) => one - other)
              .map((rate) => (
                <option key={rate} value={rate}>
                  {rate / 1000} kHz
                </option>
              ))}
          </Select>
        </Row>
        <Check
          words="Lets its device go in the background"
          on={program.lets_go_in_background}
          onChange={(lets_go_in_background) => void set({ lets_go_in_background })}
        />
        <Check
          words="Spreads its work over cores"
          on={program.spreads_over_cores}
          onChange={(spreads_over_cores) => void set({ spreads_over_cores })}
        />
        <Some
          words="Read-ahead for what only plays"
          label="Read-ahead for what only plays"
          none="none"
          value={program.read_ahead_samples}
          onKeep={(read_ahead_samples) => set({ read_ahead_samples })}
        />
        <Some
          words="Opens at most, channels"
          label="Opens at most, channels"
          none="all"
          value={program.channels_at_most}
          onKeep={(channels_at_most) => set({ channels_at_most })}
        />
        <Check
          words="Arms an input on one track only"
          on={program.one_track_per_input}
          onChange={(one_track_per_input) => void set({ one_track_per_input })}
        />
        {program.tracks.length > 0 && (
          <Check
            words="Records all tracks into one file"
            on={program.one_file}
            onChange={(one_file) => void set({ one_file })}
          />
        )}
        {program.device && (
          <>
            <Enabled
              program={program}
              side="input"
              size={view?.capture.length ?? box?.capture ?? 0}
              on={program.enabled_in}
            />
            <Enabled
              program={program}
              side="output"
              size={view?.playback.length ?? (out ?? box)?.playback ?? 0}
              on={program.enabled_out}
            />
          </>
        )}
      </Section>
      <Ports program={program} side="input" items={program.inputs} size={box?.capture ?? 0} />
      <Tracks program={program} />
      <Voices program={program} />
      <Buses program={program} />
      <Sends program={program} />
      <Song program={program} />
      <Ports program={program} side="output" items={program.outputs} size={box?.playback ?? 0} />
    </>
  )
}

function Enabled(props: { program: Program; side: "input" | "output"; size: number; on: number[] }) {
  const { edit } = useRig()
  return (
    <Box>
      <Box color="ink2">{props.side === "input" ? "Enabled inputs" : "Enabled outputs"}</Box>
      <Flex wrap="wrap" gap="2px">
        {Array.from({ length: props.size }, (_, index) => {
          const channel = index + 1
          const on = props.on.includes(channel)
          return (
            <chakra.button
              key={channel}
              w="22px"
              h="20px"
              fontFamily="mono"
              fontSize="11px"
              border="1px solid"
              borderColor={on ? "ink" : "edge"}
              bg={on ? "ink" : "transparent"}
              color={on ? "onInk" : "ink2"}
              textDecoration={on ? "none" : "line-through"}
              cursor="pointer"
              aria-pressed={on}
              aria-label={`${props.side} channel ${channel} enabled`}
              onClick={() =>
                void edit([
                  {
                    edit: "enable_channels",
                    program: props.program.id,
                    side: props.side,
                    channels: [channel],
                    on: !on,
                  },
                ])
              }
            >
              {channel}
            </chakra.button>
          )
        })}
      </Flex>
    </Box>
  )
}
