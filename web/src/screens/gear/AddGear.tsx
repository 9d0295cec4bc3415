import { Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef, useState } from "react"

import type { Edit } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd, Select } from "../../parts/controls"

const KINDS = {
  microphone: "Microphone",
  instrument: "Instrument",
  "line player": "Line player",
  interface: "Interface",
  recorder: "Recorder",
  headphones: "Headphones",
  loudspeakers: "Loudspeakers",
  feed: "Feed",
} as const
type Kind = keyof typeof KINDS
const SOURCES: Kind[] = ["microphone", "instrument", "line player"]
const ENDS: Kind[] = ["headphones", "loudspeakers", "feed"]
const MOST = 64

/** One strip that adds any gear: kind, how many (or how many jacks), name; Enter adds and stays. */
export function AddGear({ focus }: { focus: number }) {
  const { edit } = useRig()
  const [kind, setKind] = useState<Kind>("microphone")
  const [name, setName] = useState("")
  const [count, setCount] = useState("1")
  const [stereo, setStereo] = useState(false)
  const [jacks, setJacks] = useState({ ins: "8", outs: "8" })
  const kindField = useRef<HTMLSelectElement>(null)
  const nameField = useRef<HTMLInputElement>(null)
  useEffect(() => {
    if (focus) kindField.current?.focus()
  }, [focus])

  const number = (text: string, most: number) => Math.max(0, Math.min(most, Math.floor(Number(text)) || 0))
  const edits = (): Edit[] => {
    const called = name.trim() || KINDS[kind]
    if (SOURCES.includes(kind)) {
      const many = Math.max(1, number(count, MOST))
      const names = called.includes(",")
        ? called
            .split(",")
            .map((each) => each.trim())
            .filter(Boolean)
        : many === 1
          ? [called]
          : Array.from({ length: many }, (_, index) => `${called} ${index + 1}`)
      return [
        {
          edit: "add_sources",
          names,
          source_kind: kind as "microphone" | "instrument" | "line player",
          width: stereo ? 2 : 1,
          needs_phantom: kind === "microphone",
        },
      ]
    }
    if (kind === "interface")
      return [
        {
          edit: "add_interface",
          name: called,
          jack_in: number(jacks.ins, 128),
          jack_out: number(jacks.outs, 128),
        },
      ]
    if (kind === "recorder") return [{ edit: "add_program", name: called }]
    return [
      {
        edit: "add_destination",
        name: called,
        destination_kind: kind as "headphones" | "loudspeakers" | "feed",
        width: kind === "feed" && !stereo ? 1 : 2,
      },
    ]
  }
  const add = async () => {
    if (await edit(edits())) {
      setName("")
      nameField.current?.focus()
    }
  }
  return (
    <chakra.form
      aria-label="Add gear"
      onSubmit={(event) => {
        event.preventDefault()
        void add()
      }}
    >
      <Flex h="bar" align="center" px="12px" gap="8px">
        <chakra.span color="ink2">Add</chakra.span>
        <Select
          ref={kindField}
          h="28px"
          aria-label="Kind of gear"
          value={kind}
          onChange={(event) => setKind(event.target.value as Kind)}
        >
          {Object.entries(KINDS).map(([key, words]) => (
            <option key={key} value={key}>
              {words}
            </option>
          ))}
        </Select>
        {SOURCES.includes(kind) && (
          <Input
            h="28px"
            w="48px"
            figure
            aria-label="How many"
            inputMode="numeric"
            value={count}
            onChange={(event) => setCount(event.target.value)}
          />
        )}
        {kind === "interface" && (
          <Flex align="center" gap="4px">
            <Input
              h="28px"
              w="48px"
              figure
              aria-label="Input jacks"
              value={jacks.ins}
              onChange={(event) => setJacks({ ...jacks, ins: event.target.value })}
            />
            in ×
            <Input
              h="28px"
              w="48px"
              figure
              aria-label="Output jacks"
              value={jacks.outs}
              onChange={(event) => setJacks({ ...jacks, outs: event.target.value })}
            />
            out
          </Flex>
        )}
        <Input
          ref={nameField}
          h="28px"
          w="300px"
          aria-label="Name"
          placeholder={SOURCES.includes(kind) ? "Name, or several with commas" : "Name"}
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
        {(SOURCES.includes(kind) || kind === "feed") && (
          <chakra.label display="flex" gap="4px" alignItems="center">
            <input type="checkbox" checked={stereo} onChange={(event) => setStereo(event.target.checked)} />
            stereo
          </chakra.label>
        )}
        <Button variant="ink" type="submit">
          Add{" "}
          <Kbd borderColor="onSea" color="onSea">
            Enter
          </Kbd>
        </Button>
        <chakra.span color="ink3" textStyle="cell">
          {ENDS.includes(kind) || kind === "recorder" ? "" : ""}
          <Kbd>a</Kbd> comes back here
        </chakra.span>
      </Flex>
    </chakra.form>
  )
}
