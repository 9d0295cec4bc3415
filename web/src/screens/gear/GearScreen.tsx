import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useMemo, useRef, useState } from "react"

import type { Gear, Interface } from "../../api/client"
import type { Part } from "../../api/parts"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd, Select, TickBox } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { AddGear } from "./AddGear"
import { AnswerPanel } from "./AnswerPanel"
import { BringIn } from "./BringIn"
import { Card, SystemCard, worstOf, type Chosen } from "./Cards"
import { Catalogue } from "./Catalogue"
import { InsertsPanel } from "./InsertsPanel"
import { Inspector } from "./Inspector"
import { Join } from "./Join"
import { LitContext, litBy, useAnswer, wayOf } from "./lit"
import { usePorts } from "./Pegs"
import { MixerPanel } from "./MixerPanel"
import { Parts } from "./Parts"
import { Swap } from "./Swap"

const COLUMNS = ["Sources", "Boxes", "System", "Programs", "Destinations"] as const
const SHOWS = ["all", "used", "trouble"] as const
type Shows = (typeof SHOWS)[number]
type Panel = "swap" | "catalogue" | "join" | "mixer" | "inserts" | "parts"

/** What there is: five columns of cards with numbered pegs, and the inspector of the chosen one. */
export function GearScreen() {
  const { state, edit } = useRig()
  const { gear } = state.rig
  const [chosen, setChosen] = useState<Chosen | null>(null)
  const [way, setWay] = useState({ from: 0, to: 0 })
  const [adding, setAdding] = useState(0)
  const [wanted, setWanted] = useState("")
  const [shows, setShows] = useState<Shows>("all")
  const [open, setOpen] = useState<Panel | null>(null)
  const [marks, setMarks] = useState<string[]>([])
  const [bringing, setBringing] = useState<Part | null>(null)
  const finder = useRef<HTMLInputElement>(null)
  const inspector = useRef<HTMLDivElement>(null)
  // The answer for a peg stands at the top of the panel.
  useEffect(() => {
    if (chosen?.port && inspector.current) inspector.current.scrollTop = 0
  }, [chosen?.port])
  const ports = usePorts()
  const found = useAnswer(chosen?.port ?? null)
  const steps = useMemo(() => wayOf(found.data, way.to, way.from), [found.data, way])
  const lit = useMemo(() => litBy(found.data, steps), [found.data, steps])
  const current = gear.find((each) => each.id === chosen?.gear) ?? null
  const usedGear = useMemo(() => {
    const used = new Set<string>()
    for (const use of ports.values()) if (use.used) used.add(use.port[0])
    return used
  }, [ports])
  const visible = useMemo(() => {
    const typed = wanted.trim().toLowerCase()
    const items = (each: Gear) =>
      each.kind === "program" ? [...each.inputs, ...each.tracks, ...each.outputs, ...each.voices] : []
    return gear.filter((each) => {
      if (
        typed &&
        ![each.name, ...items(each).map((i) => i.name)].some((n) => n.toLowerCase().includes(typed))
      )
        return false
      if (shows === "trouble") return worstOf(each, state.survey.snags) !== null
      return shows === "all" || usedGear.has(each.id) || items(each).some((item) => usedGear.has(item.id))
    })
  }, [gear, wanted, shows, state.survey.snags, usedGear])
  const order = COLUMNS.flatMap((title) => visible.filter((each) => columnOf(each) === title))
  const choose = (next: Chosen | null) => {
    setWay({ from: 0, to: 0 })
    setChosen(next)
  }
  const step = (by: number) => {
    const at = order.findIndex((each) => each.id === chosen?.gear)
    const next = order[Math.max(0, Math.min(order.length - 1, at + by))]
    if (next) choose({ gear: next.id, port: null })
  }
  const marked = marks.filter((id) => gear.some((each) => each.id === id))
  const joinable = marked.filter((id) =>
    ["interface", "aggregate"].includes(gear.find((each) => each.id === id)?.kind ?? ""),
  )
  const mark = () => {
    if (!current) return
    const { id } = current
    setMarks(marked.includes(id) ? marked.filter((each) => each !== id) : [...marked, id])
  }
  const join = () => {
    if (joinable.length > 1) setOpen("join")
  }
  const box = current?.kind === "interface" ? current : null
  const opens = (able: boolean, panel: typeof open) => () => {
    if (able) setOpen(panel)
  }
  const mix = opens(Boolean(box?.mixer), "mixer")
  const inserts = opens(current?.kind === "program", "inserts")
  const swap = opens(box !== null, "swap")
  const acts = [
    { words: "Mixer", letter: "k", run: mix, able: Boolean(box?.mixer), choose: "Choose a mixer" },
    {
      words: "Inserts",
      letter: "i",
      run: inserts,
      able: current?.kind === "program",
      choose: "Choose a program",
    },
    {
      words: "Swap",
      letter: "w",
      run: swap,
      able: box !== null,
      choose: "Choose the box that is to be swapped",
    },
  ]
  useKeys([
    { keys: "a", words: "Add gear", run: () => setAdding((count) => count + 1) },
    { keys: "/", words: "Find gear", run: () => finder.current?.focus() },
    { keys: "c", words: "Catalogue of gear", run: () => setOpen("catalogue") },
    { keys: "w", words: "Swap this interface for another", run: swap },
    { keys: "j", words: "Join the marked boxes as one", run: join },
    { keys: "p", words: "Parts: keep some of the rig, bring some in", run: () => setOpen("parts") },
    { keys: "k", words: "The mixer of this box", run: mix },
    { keys: "e", words: "Feeds of this mixer", run: mix },
    { keys: "i", words: "Inserts of this program", run: inserts },
    { keys: " ", words: "Mark this gear, to join boxes or keep several pieces (Space)", run: mark },
    ...((open && open !== "mixer") || bringing
      ? []
      : [
          { keys: "ArrowDown", words: "Next gear", run: () => step(1) },
          { keys: "ArrowUp", words: "Gear before", run: () => step(-1) },
          { keys: "Escape", words: "Choose nothing", run: () => choose(null) },
          {
            keys: "Delete",
            words: "Remove this gear",
            run: () => current && void edit([{ edit: "remove", items: [current.id] }]),
          },
        ]),
  ])
  return (
    <LitContext value={lit}>
      <Flex direction="column" h="100%">
        <AddGear focus={adding} onBring={setBringing} />
        <Flex
          minH="34px"
          flex="none"
          align="center"
          px="12px"
          columnGap="8px"
          wrap="wrap"
          textStyle="cell"
          whiteSpace="nowrap"
        >
          <Box position="relative" w="220px">
            <Input
              ref={finder}
              w="100%"
              aria-label="Find gear"
              placeholder="Find gear, an input, a track"
              value={wanted}
              onChange={(event) => setWanted(event.target.value)}
              onKeyDown={(event) => {
                if (event.key !== "Enter" && event.key !== "Escape") return
                event.preventDefault()
                event.currentTarget.blur()
                const first = order[0]
                if (event.key === "Enter" && first) choose({ gear: first.id, port: null })
                setWanted("")
              }}
            />
            <Box position="absolute" right="6px" top="4px">
              <Kbd>/</Kbd>
            </Box>
          </Box>
          <Flex as="label" gap="5px" align="center" color="ink2">
            Show
            <Select
              aria-label="Show gear"
              value={shows}
              onChange={(event) => setShows(event.target.value as Shows)}
            >
              {SHOWS.map((each) => (
                <option key={each}>{each}</option>
              ))}
            </Select>
          </Flex>
          <TickBox
            words="Names travel"
            title="What is renamed is renamed everywhere"
            on={state.rig.names_travel ?? false}
            onTurn={(names_travel) => void edit([{ edit: "set", item: "rig", values: { names_travel } }])}
          />
          <Box flex="1" />
          <Button size="row" variant="quiet" onClick={() => setOpen("catalogue")}>
            Catalogue <Kbd>c</Kbd>
          </Button>
          <Button size="row" variant="quiet" onClick={() => setOpen("parts")}>
            Parts <Kbd>p</Kbd>
          </Button>
          <Button
            size="row"
            variant="quiet"
            onClick={mark}
            disabled={!current}
            title={current ? undefined : "Choose a card"}
          >
            {current && marked.includes(current.id) ? "Unmark" : "Mark"} <Kbd>Space</Kbd>
          </Button>
          <Button
            size="row"
            variant="quiet"
            onClick={join}
            disabled={joinable.length < 2}
            title={joinable.length < 2 ? "Mark two boxes or more with Space" : undefined}
          >
            Join{joinable.length > 1 ? ` ${joinable.length}` : ""} <Kbd>j</Kbd>
          </Button>
          {acts.map(({ words, letter, run, able, choose }) => (
            <Button
              key={letter}
              size="row"
              variant="quiet"
              onClick={run}
              disabled={!able}
              title={able ? undefined : choose}
            >
              {words} <Kbd>{letter}</Kbd>
            </Button>
          ))}
        </Flex>
        {open === "swap" && current?.kind === "interface" && (
          <Swap key={current.id} box={current} onClose={() => setOpen(null)} />
        )}
        {open === "join" && (
          <Join
            marked={joinable}
            onClose={() => setOpen(null)}
            onMade={(device) => {
              setOpen(null)
              setMarks([])
              choose({ gear: device, port: null })
            }}
          />
        )}
        {bringing && (
          <BringIn key={bringing.id} part={bringing} chosen={current} onClose={() => setBringing(null)} />
        )}
        <Flex flex="1" minH="0" borderTop="1px solid" borderColor="edge" position="relative">
          <Flex flex="1" minW="0" overflowX="auto">
            {COLUMNS.map((title) => (
              <Column
                key={title}
                title={title}
                gear={visible}
                chosen={chosen}
                marked={marked}
                onChoose={choose}
              />
            ))}
          </Flex>
          <Box ref={inspector} w="inspector" flex="none" bg="sheet" overflowY="auto">
            {chosen?.port && (
              <Box p="10px" pb="0" textStyle="cell">
                <AnswerPanel
                  answer={found.data}
                  from={way.from}
                  to={way.to}
                  onFrom={(from) => setWay({ ...way, from })}
                  onTo={(to) => setWay({ ...way, to })}
                />
              </Box>
            )}
            {current ? (
              <Inspector key={current.id} gear={current} />
            ) : (
              <Box p="12px" color="ink2" textStyle="cell">
                Choose a card to see and change it, or a peg to see what arrives there and where it goes.
              </Box>
            )}
          </Box>
          {open === "catalogue" && <Catalogue gear={current} onClose={() => setOpen(null)} />}
          {open === "parts" && (
            <Parts
              gear={
                marked.length > 0 ? gear.filter((each) => marked.includes(each.id)) : current ? [current] : []
              }
              onBring={(part) => {
                setOpen(null)
                setBringing(part)
              }}
              onClose={() => setOpen(null)}
            />
          )}
        </Flex>
        {open === "mixer" && current?.kind === "interface" && current.mixer && (
          <MixerPanel key={current.id} box={current} onClose={() => setOpen(null)} />
        )}
        {open === "inserts" && current?.kind === "program" && (
          <InsertsPanel key={current.id} program={current} onClose={() => setOpen(null)} />
        )}
        {steps.length > 0 && (
          <Box
            flex="none"
            px="12px"
            h="26px"
            lineHeight="26px"
            borderTop="1px solid"
            borderColor="rule"
            bg="sheet"
            textStyle="cell"
            whiteSpace="nowrap"
            overflow="hidden"
            textOverflow="ellipsis"
            data-testid="way"
          >
            {steps.map((each, place) => (
              <chakra.span key={each.key}>
                {place > 0 && " › "}
                <b>{lit.get(each.key)}</b> {each.said}
              </chakra.span>
            ))}
          </Box>
        )}
      </Flex>
    </LitContext>
  )
}

function columnOf(gear: Gear): (typeof COLUMNS)[number] {
  // A cable stands on no table: the computer has it.
  if (gear.kind === "interface" && gear.cable) return "System"
  return (
    {
      source: "Sources",
      interface: "Boxes",
      outboard: "Boxes",
      aggregate: "System",
      program: "Programs",
      destination: "Destinations",
    } as const
  )[gear.kind]
}

function Column(props: {
  title: (typeof COLUMNS)[number]
  gear: Gear[]
  chosen: Chosen | null
  marked: string[]
  onChoose: (chosen: Chosen) => void
}) {
  const { title, gear, chosen, marked, onChoose } = props
  const { rig } = useRig().state
  return (
    <Box flex="1" minW="158px" borderRight="1px solid" borderColor="rule" overflowY="auto">
      <chakra.h2
        textStyle="head"
        h="26px"
        lineHeight="26px"
        px="6px"
        position="sticky"
        top="0"
        bg="paper"
        zIndex="2"
        borderBottom="1px solid"
        borderColor="rule"
      >
        {title}
      </chakra.h2>
      {gear
        .filter((each) => columnOf(each) === title && !(each.kind === "interface" && each.cable))
        .map((each) => (
          <Card
            key={each.id}
            gear={each}
            chosen={chosen}
            onChoose={onChoose}
            marked={marked.includes(each.id)}
          />
        ))}
      {title === "System" &&
        gear
          .filter((each): each is Interface => each.kind === "interface")
          .map((box) => <SystemCard key={box.id} box={box} chosen={chosen} onChoose={onChoose} />)}
      {rig.gear.length === 0 && title === "Sources" && (
        <Box p="8px" color="ink2" textStyle="cell">
          No gear yet. Add microphones, an interface, a recorder and headphones above.
        </Box>
      )}
    </Box>
  )
}
