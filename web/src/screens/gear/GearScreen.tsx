import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"

import type { Gear, Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { useKeys } from "../../parts/keys"
import { AddGear } from "./AddGear"
import { Inspector } from "./Inspector"
import { Bank } from "./Pegs"

export interface Chosen {
  gear: string
  port: string | null
}

const COLUMNS = ["Sources", "Boxes", "System", "Programs", "Destinations"] as const

/** What there is: five columns of cards with numbered pegs, and the inspector of the chosen one. */
export function GearScreen() {
  const { state, edit } = useRig()
  const { gear } = state.rig
  const [chosen, setChosen] = useState<Chosen | null>(null)
  const [adding, setAdding] = useState(0)
  const current = gear.find((each) => each.id === chosen?.gear) ?? null
  const order = [
    ...gear.filter((each) => each.kind === "source"),
    ...gear.filter((each) => each.kind === "interface"),
    ...gear.filter((each) => each.kind === "program"),
    ...gear.filter((each) => each.kind === "destination"),
  ]
  const step = (by: number) => {
    const at = order.findIndex((each) => each.id === chosen?.gear)
    const next = order[Math.max(0, Math.min(order.length - 1, at + by))]
    if (next) setChosen({ gear: next.id, port: null })
  }
  useKeys([
    { keys: "a", words: "Add gear", run: () => setAdding((count) => count + 1) },
    { keys: "ArrowDown", words: "Next gear", run: () => step(1) },
    { keys: "ArrowUp", words: "Gear before", run: () => step(-1) },
    {
      keys: "Delete",
      words: "Remove this gear",
      run: () => current && void edit([{ edit: "remove", items: [current.id] }]),
    },
  ])
  const boxes = gear.filter((each): each is Interface => each.kind === "interface")
  return (
    <Flex direction="column" h="100%">
      <AddGear focus={adding} />
      <Flex flex="1" minH="0" borderTop="1px solid" borderColor="edge">
        {COLUMNS.map((title) => (
          <Box key={title} flex="1" minW="0" borderRight="1px solid" borderColor="rule" overflowY="auto">
            <chakra.h2
              textStyle="head"
              h="26px"
              lineHeight="26px"
              px="6px"
              position="sticky"
              top="0"
              bg="paper"
              zIndex="1"
              borderBottom="1px solid"
              borderColor="rule"
            >
              {title}
            </chakra.h2>
            {title === "System"
              ? boxes.map((box) => <SystemCard key={box.id} box={box} chosen={chosen} onChoose={setChosen} />)
              : order
                  .filter((each) => columnOf(each) === title)
                  .map((each) => <Card key={each.id} gear={each} chosen={chosen} onChoose={setChosen} />)}
            {gear.length === 0 && title === "Sources" && (
              <Box p="8px" color="ink2" textStyle="cell">
                No gear yet. Add microphones, an interface, a recorder and headphones above.
              </Box>
            )}
          </Box>
        ))}
        <Box w="inspector" flex="none" bg="sheet" overflowY="auto">
          {current ? (
            <Inspector key={current.id} gear={current} port={chosen?.port ?? null} />
          ) : (
            <Box p="12px" color="ink2" textStyle="cell">
              Choose a card or a peg to see and change it.
            </Box>
          )}
        </Box>
      </Flex>
    </Flex>
  )
}

function columnOf(gear: Gear): (typeof COLUMNS)[number] {
  return (
    { source: "Sources", interface: "Boxes", program: "Programs", destination: "Destinations" } as const
  )[gear.kind]
}

interface CardProps {
  chosen: Chosen | null
  onChoose: (chosen: Chosen) => void
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
  const on = chosen?.gear === gear.id
  return (
    <Box
      p="6px"
      bg={on ? "wash" : "sheet"}
      boxShadow={on ? "inset 3px 0 0 {colors.sea}" : undefined}
      borderBottom="1px solid"
      borderColor="rule"
      cursor="pointer"
      onClick={() => onChoose({ gear: gear.id, port: null })}
    >
      <Flex gap="6px" align="baseline">
        <chakra.button
          fontWeight="600"
          textStyle="cell"
          textAlign="left"
          cursor="pointer"
          aria-pressed={on}
          onClick={(event) => {
            event.stopPropagation()
            onChoose({ gear: gear.id, port: null })
          }}
        >
          {props.title}
        </chakra.button>
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

function Card({ gear, chosen, onChoose }: CardProps & { gear: Gear }) {
  const pick = (port: string) => onChoose({ gear: gear.id, port })
  const at = chosen?.gear === gear.id ? chosen.port : null
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
          note={`${gear.rate_hz / 1000} kHz`}
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
    case "program":
      return (
        <Frame
          gear={gear}
          title={gear.name}
          note={`${gear.tracks.length} ${gear.tracks.length === 1 ? "track" : "tracks"}`}
          chosen={chosen}
          onChoose={onChoose}
        >
          <Items title="in" bank="input" items={gear.inputs} at={at} onPick={pick} />
          <Items title="track" bank="track" items={gear.tracks} at={at} onPick={pick} />
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

function SystemCard({ box, chosen, onChoose }: CardProps & { box: Interface }) {
  const pick = (port: string) => onChoose({ gear: box.id, port })
  const at = chosen?.gear === box.id ? chosen.port : null
  return (
    <Frame
      gear={box}
      title={`${box.name}, ${box.driver.kind}`}
      note={`buffer ${box.driver.buffer_samples}`}
      chosen={chosen}
      onChoose={onChoose}
    >
      <Bank owner={box.id} bank="capture" title="capture" count={box.capture} at={at} onPick={pick} />
      <Bank owner={box.id} bank="playback" title="playback" count={box.playback} at={at} onPick={pick} />
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
