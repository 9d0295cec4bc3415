import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef } from "react"

import type { LadderView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"
import { Button, Figure } from "../../parts/controls"

import { Offsets } from "../../parts/Offsets"
import { Readings } from "./Readings"
import { RungRow, lengthOf } from "./Rung"
import { useNumber, useSet } from "../gear/fields"

interface Props {
  ladder: LadderView
  /** A buffer that is tried, or the driver that is. */
  tried: number | null
  triedDriver: string | null
  climbing: boolean
  onTry: (size: number) => void
  onTryDriver: (driver: string) => void
  onMeasured: (samples: number) => Promise<boolean>
  onReported: (inSamples: number, outSamples: number) => Promise<boolean>
}

/** Every buffer the driver offers: delay against its limit, round trip, time to spare, and who would be late. */
export function Ladder(props: Props) {
  const { ladder, tried, climbing } = props
  const list = useRef<HTMLDivElement>(null)
  useEffect(() => {
    if (climbing) list.current?.focus()
  }, [climbing])
  const limited = ladder.limit_ms !== null
  const longest = Math.max(...ladder.rungs.map(lengthOf))
  // Beyond three times the limit a bar says nothing more; the scale serves the rungs that could be chosen.
  const span = limited ? Math.max(1, Math.min(longest, 3)) : longest
  const named = [...new Set(ladder.rungs.map((rung) => rung.nearest?.line))]
  const at = tried ?? ladder.buffer_samples
  // What a trial tells takes room below: the rung that is tried stays in sight.
  useEffect(() => {
    if (tried !== null) document.getElementById(`rung-${tried}`)?.scrollIntoView({ block: "nearest" })
  })
  return (
    <Box flex="1" minH="0" overflow="auto" borderTop="1px solid" borderColor="edge">
      <Flex minH="26px" align="center" px="12px" textStyle="head" bg="paper" gap="12px" wrap="wrap">
        <chakra.h2>
          Ladder · {ladder.name} on {ladder.device}
        </chakra.h2>
        <span>
          {ladder.limit_ms === null
            ? "no line with a limit waits here"
            : `${ladder.lines} ${ladder.lines === 1 ? "line" : "lines"} with a limit, the tightest ${ladder.limit_ms} ms`}
        </span>
        {ladder.others && <span>{ladder.others}</span>}
        {ladder.assumed && <span>~ some of this box’s delays are assumed</span>}
        <Box flex="1" />
        <Readings ladder={ladder} />
      </Flex>
      <Ways {...props} />
      <Known {...props} />
      <Flex h="22px" px="12px" gap="14px" align="center" textStyle="head" bg="paper" aria-hidden>
        <Box w="20px" flex="none" />
        <Box w="40px" flex="none" textAlign="right">
          Buffer
        </Box>
        <Box w="70px" flex="none" textAlign="right">
          lasts
        </Box>
        <Box flex="1" minW="80px">
          {limited && (named.length === 1 ? `Nearest its limit: ${named[0]}` : "Line nearest its limit")}
        </Box>
        <Box w="122px" flex="none" textAlign="right">
          Round trip
        </Box>
        <Box w="170px" flex="none">
          Time to spare, 20 % wanted
        </Box>
        <Box w="62px" flex="none" textAlign="right">
          Lines
        </Box>
        <Box w="126px" flex="none">
          Verdict
        </Box>
      </Flex>
      <Box
        ref={list}
        role="listbox"
        aria-label={`Buffers of ${ladder.name}`}
        tabIndex={0}
        aria-activedescendant={`rung-${at}`}
      >
        {ladder.rungs.map((rung) => (
          <RungRow key={rung.buffer_samples} {...props} rung={rung} span={span} at={at} />
        ))}
      </Box>
    </Box>
  )
}

/** The drivers of the box, or of each of the boxes joined, side by side: what the program would get from each. */
function Ways({ ladder, triedDriver, onTryDriver }: Props) {
  if (ladder.ways.length < 2) return null
  const tried = (box: string) => ladder.ways.some((way) => way.driver === triedDriver && way.box === box)
  return (
    <Flex
      px="12px"
      py="3px"
      gap="6px"
      align="center"
      wrap="wrap"
      textStyle="cell"
      bg="paper"
      role="group"
      aria-label={`Drivers of ${ladder.device}`}
    >
      Opened by
      {ladder.ways.map((way) => (
        <Button
          key={way.driver}
          size="row"
          variant={way.driver === triedDriver ? "trial" : "plain"}
          aria-pressed={way.driver === triedDriver || (way.now && !tried(way.box))}
          disabled={way.bars !== ""}
          onClick={() => onTryDriver(way.driver)}
        >
          {way.now && <Box w="8px" h="8px" borderRadius="4px" bg="ink" aria-label="now" role="img" />}
          {way.box && `${way.box}: `}
          {way.kind} · {way.capture} × {way.playback} · {way.buffer_samples} ·{" "}
          <Figure>{way.round_trip_ms.toFixed(2)} ms</Figure>
          {way.bars && ` · ${way.bars}`}
        </Button>
      ))}
    </Flex>
  )
}

const hours = (seconds: number) => {
  const minutes = Math.floor(seconds / 60)
  return minutes < 60 ? `${minutes} min` : `${Math.floor(minutes / 60)} h ${minutes % 60} min`
}

/** What was measured of the whole way there and back, or is reported of it, and where an overdub lands. */
function Known({ ladder, onMeasured, onReported }: Props) {
  const number = useNumber()
  const { say } = useRig()
  const reported = (text: string) => {
    const [into, out, ...more] = text.trim().split(/[\s,;/]+/)
    const found = [Number(into), Number(out)] as const
    if (text.trim() === "") return true
    if (more.length === 0 && into && out && found.every(Number.isInteger)) return onReported(...found)
    say(`The driver reports: “${text}” is not two numbers; type the samples in and the samples out.`)
    return false
  }
  const set = useSet(ladder.program)
  const { state } = useRig()
  const program = state.rig.gear.find((gear) => gear.id === ladder.program)
  const driver = state.rig.gear
    .flatMap((gear) => (gear.kind === "interface" ? gear.drivers : []))
    .find((each) => each.id === ladder.driver)
  // What was typed stays in its field while it is tried, and is gone once it is known.
  const known = JSON.stringify(driver?.offsets)
  return (
    <Flex px="12px" py="2px" gap="6px" align="center" wrap="wrap" textStyle="cell" bg="paper">
      Round trip now
      <Figure>
        {ladder.assumed ? "~" : ""}
        {ladder.round_trip_samples} samples
      </Figure>
      {ladder.boxes.length === 1 && ladder.driver_kind !== "cable" && (
        <>
          · measured
          <Commit
            value={null}
            key={`measured ${known}`}
            label="Measured round trip in samples"
            width="56px"
            figure
            placeholder="—"
            onKeep={(text) => text === "" || number("Measured round trip", text, onMeasured)}
          />
          · its driver reports
          <Commit
            value={null}
            key={known}
            label="Reported by the driver: samples in and samples out"
            width="96px"
            figure
            placeholder="in out"
            onKeep={reported}
          />
          {driver && <Offsets driver={driver} />}
        </>
      )}
      {ladder.varies && (
        <chakra.span color="ink2">
          A real one differs by {ladder.varies}: the packets of its link.
        </chakra.span>
      )}
      {ladder.overdub && program?.kind === "program" && (
        <>
          <span>An overdub {ladder.overdub}.</span>
          <Flex as="span" gap="6px" align="center" whiteSpace="nowrap">
            The program moves it by
            <Commit
              value={program.compensates_samples}
              label="Moves overdubs by itself, in samples"
              width="56px"
              figure
              onKeep={(text) =>
                number("Samples", text, (compensates_samples) => set({ compensates_samples }))
              }
            />
            by itself.
          </Flex>
        </>
      )}
      {ladder.touched && <span>What only plays is worked {ladder.touched}.</span>}
      {ladder.overdub && (
        <>
          {ladder.seconds_to_4_gib != null && (
            <chakra.span color="ink2">
              It writes {(ladder.disk_bytes_per_s / 1e6).toFixed(2)} MB/s; a file is full (4 GiB) after{" "}
              {hours(ladder.seconds_to_4_gib)}.
            </chakra.span>
          )}
        </>
      )}
    </Flex>
  )
}
