import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Aggregate, Gear, Interface, SnagView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Mark } from "../../parts/Mark"
import { useAggregates } from "./AggregateFields"
import { Bank } from "./Pegs"

export interface Chosen {
  gear: string
  port: string | null
}

interface CardProps {
  chosen: Chosen | null
  onChoose: (chosen: Chosen) => void
}

const ORDER = ["stop", "trouble", "risk", "note"]

/** The worst snag that sits on a piece of gear, or on one of its inputs, tracks and so on. */
export function worstOf(gear: Gear, snags: SnagView[]): SnagView["severity"] | null {
  const own = new Set([gear.id])
  if (gear.kind === "program")
    for (const item of [...gear.inputs, ...gear.tracks, ...gear.outputs, ...gear.voices, ...gear.buses])
      own.add(item.id)
  if (gear.kind === "interface") for (const driver of gear.drivers) own.add(driver.id)
  const found = snags.filter((snag) => snag.items.some((item) => own.has(item)))
  return found.map((snag) => snag.severity).sort((a, b) => ORDER.indexOf(a) - ORDER.indexOf(b))[0] ?? null
}

function Frame(
  props: CardProps & {
    gear: Gear
    title: string
    note?: string
    pegs?: React.ReactNode
    children?: React.ReactNode
  },
) {
  const { gear, chosen, onChoose } = props
  const { snags } = useRig().state.survey
  const on = chosen?.gear === gear.id
  const worst = worstOf(gear, snags)
  return (
    <Box
      p="6px"
      bg={on ? "wash" : "sheet"}
      boxShadow={on ? "inset 3px 0 0 {colors.sea}" : undefined}
      borderBottom="1px solid"
      borderColor="rule"
      cursor="pointer"
      data-card={props.title}
      onClick={() => onChoose({ gear: gear.id, port: null })}
      ref={(card: HTMLDivElement | null) => {
        if (on && !chosen.port) card?.scrollIntoView({ block: "nearest" })
      }}
    >
      <Flex gap="6px" align="baseline">
        <chakra.button
          fontWeight="600"
          textStyle="cell"
          textAlign="left"
          cursor="pointer"
          aria-pressed={on}
          onMouseUp={(event) => event.currentTarget.blur()}
          onClick={(event) => {
            event.stopPropagation()
            event.currentTarget.blur()
            onChoose({ gear: gear.id, port: null })
          }}
        >
          {props.title}
        </chakra.button>
        {worst && <Mark severity={worst} />}
        <Box flex="1" />
        <chakra.span color="ink2" fontSize="12px" whiteSpace="nowrap">
          {props.note}
        </chakra.span>
        {props.pegs}
      </Flex>
      {props.children}
    </Box>
  )
}

export function Card({ gear, chosen, onChoose, marked }: CardProps & { gear: Gear; marked: boolean }) {
  const pick = (port: string) => onChoose({ gear: gear.id, port })
  const at = chosen?.port ?? null
  switch (gear.kind) {
    case "source":
      return (
        <Frame
          gear={gear}
          title={gear.name}
          note={gear.width === 2 ? "stereo" : ""}
          chosen={chosen}
          onChoose={onChoose}
          pegs={<Bank owner={gear.id} bank="out" count={gear.width} at={at} onPick={pick} />}
        />
      )
    case "interface":
      return (
        <Frame
          gear={gear}
          title={gear.name}
          note={`${marked ? "marked · " : ""}${gear.connected ? "" : "absent · "}${gear.rate_hz / 1000} kHz`}
          chosen={chosen}
          onChoose={onChoose}
        >
          <Bank owner={gear.id} bank="jack_in" title="jack in" count={gear.jack_in} at={at} onPick={pick} />
          <Bank
            owner={gear.id}
            bank="jack_out"
            title="jack out"
            count={gear.jack_out}
            at={at}
            onPick={pick}
          />
        </Frame>
      )
    case "outboard":
      return (
        <Frame gear={gear} title={gear.name} note="outboard" chosen={chosen} onChoose={onChoose}>
          <Bank owner={gear.id} bank="outboard_in" title="in" count={gear.width} at={at} onPick={pick} />
          <Bank owner={gear.id} bank="outboard_out" title="out" count={gear.width} at={at} onPick={pick} />
        </Frame>
      )
    case "aggregate":
      return <AggregateCard marked={marked} device={gear} chosen={chosen} onChoose={onChoose} />
    case "program":
      return (
        <Frame gear={gear} title={gear.name} note={gear.program_kind} chosen={chosen} onChoose={onChoose}>
          <Items title="in" bank="input" items={gear.inputs} at={at} onPick={pick} />
          <Items
            title="track"
            bank="track"
            items={gear.tracks.filter((each) => !each.far_end)}
            at={at}
            onPick={pick}
          />
          <Items
            title="ear"
            bank="track"
            items={gear.tracks.filter((each) => each.far_end)}
            at={at}
            onPick={pick}
          />
          <Items title="voice" bank="voice" items={gear.voices} at={at} onPick={pick} />
          <Items title="bus" bank="bus" items={gear.buses} at={at} onPick={pick} />
          <Items title="out" bank="output" items={gear.outputs} at={at} onPick={pick} />
        </Frame>
      )
    case "destination":
      return (
        <Frame gear={gear} title={gear.name} note={gear.destination_kind} chosen={chosen} onChoose={onChoose}>
          <Bank owner={gear.id} bank="in" count={gear.width} at={at} onPick={pick} />
        </Frame>
      )
  }
}

/** Boxes joined as one: which of its numbers are whose. */
function AggregateCard({
  device,
  chosen,
  onChoose,
  marked,
}: CardProps & { device: Aggregate; marked: boolean }) {
  const { rig } = useRig().state
  const view = useAggregates().data?.find((each) => each.id === device.id)
  const users = rig.gear.filter((gear) => gear.kind === "program" && gear.device === device.id)
  return (
    <Frame
      gear={device}
      title={device.name}
      note={`${marked ? "marked · " : ""}joined · ${device.buffer_samples}`}
      chosen={chosen}
      onChoose={onChoose}
    >
      {view?.members.map((member) => (
        <Flex key={member.box} fontSize="12px" lineHeight="18px" gap="4px">
          <chakra.span borderLeft="2px solid" borderColor="ink" pl="4px">
            {member.name}
          </chakra.span>
          <Box flex="1" />
          <chakra.span
            color={member.state === "absent" || member.state === "free" ? "wax" : "ink2"}
            whiteSpace="nowrap"
          >
            {member.state === "absent" ? "absent" : `${member.capture || "—"} / ${member.playback || "—"}`}
            {member.state === "free" && " slips"}
          </chakra.span>
        </Flex>
      ))}
      {users.length > 0 && (
        <Box fontSize="12px" color="ink2">
          {users.map((gear) => gear.name).join(", ")}
        </Box>
      )}
    </Frame>
  )
}

/** A box as the computer has it: its channels, and each driver with the programs that open it. */
export function SystemCard({ box, chosen, onChoose }: CardProps & { box: Interface }) {
  const { rig } = useRig().state
  const pick = (port: string) => onChoose({ gear: box.id, port })
  const at = chosen?.port ?? null
  const users = (driver: Interface["drivers"][number], first: boolean) => {
    const opens = (device: string | null, by: string | null) =>
      device === box.id && (by === driver.id || (first && !by))
    return rig.gear
      .filter((gear) =>
        gear.kind === "program"
          ? opens(gear.device, gear.driver) || opens(gear.output_device, gear.output_driver)
          : gear.kind === "aggregate" && gear.members.some((member) => opens(member.device, member.driver)),
      )
      .map((gear) => gear.name)
  }
  if (box.cable) return <CableCard box={box} chosen={chosen} onChoose={onChoose} users={users} />
  const widest = Math.max(...box.drivers.map((driver) => driver.capture ?? box.capture))
  const widestOut = Math.max(...box.drivers.map((driver) => driver.playback ?? box.playback))
  return (
    <Frame gear={box} title={`${box.name}, opened`} chosen={chosen} onChoose={onChoose}>
      {box.drivers.map((driver, index) => (
        <Box key={driver.id} fontSize="12px" lineHeight="16px" color={driver.installed ? "ink" : "wax"}>
          {driver.kind} · {driver.buffer_samples}
          {!driver.installed && " · not installed"}
          <chakra.span color="ink2">
            {driver.capture !== null || driver.playback !== null
              ? ` · shows ${driver.capture ?? box.capture} × ${driver.playback ?? box.playback}`
              : ""}
            {users(driver, index === 0).length > 0 && ` · ${users(driver, index === 0).join(", ")}`}
          </chakra.span>
        </Box>
      ))}
      <Bank
        owner={box.id}
        bank="capture"
        title="capture"
        count={box.capture}
        shown={widest}
        at={at}
        onPick={pick}
      />
      <Bank
        owner={box.id}
        bank="playback"
        title="playback"
        count={box.playback}
        shown={widestOut}
        at={at}
        onPick={pick}
      />
    </Frame>
  )
}

/** A cable: its channels, which are played into and captured from alike, its clock and its programs. */
function CableCard({
  box,
  chosen,
  onChoose,
  users,
}: CardProps & {
  box: Interface
  users: (driver: Interface["drivers"][number], first: boolean) => string[]
}) {
  const { rig } = useRig().state
  const leader = rig.gear.find((gear) => gear.id === box.follows)
  const programs = box.drivers.flatMap((driver, index) => users(driver, index === 0))
  return (
    <Frame
      gear={box}
      title={box.name}
      note={`${box.connected ? "" : "absent · "}cable · ${box.rate_hz / 1000} kHz`}
      chosen={chosen}
      onChoose={onChoose}
    >
      <Box fontSize="12px" lineHeight="16px">
        {leader ? `follows ${leader.name}` : "the computer’s timer"}
        <chakra.span color="ink2">{programs.length > 0 && ` · ${programs.join(", ")}`}</chakra.span>
      </Box>
      <Bank
        owner={box.id}
        bank="capture"
        title="channel"
        count={box.capture}
        at={chosen?.port ?? null}
        onPick={(port) => onChoose({ gear: box.id, port })}
      />
    </Frame>
  )
}

function Items(props: {
  title: string
  bank: string
  items: { id: string; name: string }[]
  at: string | null
  onPick: (port: string) => void
}) {
  if (props.items.length === 0) return null
  return (
    <Bank
      owner=""
      bank={props.bank}
      title={props.title}
      count={props.items.length}
      ids={props.items.map((item) => item.id)}
      at={props.at}
      onPick={props.onPick}
    />
  )
}
