import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Edit } from "../../api/client"
import { useRig } from "../../api/rig"
import { numberOf } from "../../parts/figures"
import { ORIGINS } from "../../api/rules"
import { Commit, type Kept } from "../../parts/Commit"
import { Select } from "../../parts/controls"

/** Sets fields of one thing. */
export function useSet(item: string) {
  const { edit } = useRig()
  return (values: Extract<Edit, { edit: "set" }>["values"]) => edit([{ edit: "set", item, values }])
}

/** Keeps a typed number; says so in place when it is none. */
export function useNumber() {
  const { say } = useRig()
  return (label: string, text: string, keep: (number: number) => Kept): Kept => {
    const number = numberOf(text)
    if (number !== null) return keep(number)
    say(`${label}: “${text}” is no number.`)
    return false
  }
}

export function Section(props: { title: string; note?: string; children: React.ReactNode }) {
  const { title, note, children } = props
  return (
    <Box mb="10px" data-section={title}>
      <chakra.h3 textStyle="head" borderBottom="1px solid" borderColor="rule" mb="4px">
        {title}
        {note && <chakra.span fontWeight="400">: {note}</chakra.span>}
      </chakra.h3>
      {children}
    </Box>
  )
}

export function Row({ words, children }: { words: string; children: React.ReactNode }) {
  return (
    <Flex as="label" align="center" gap="6px" minH="28px">
      <Box flex="1">{words}</Box>
      {children}
    </Flex>
  )
}

export function NumberRow(props: {
  words: string
  value: number
  unit?: string
  onKeep: (value: number) => Kept
}) {
  const number = useNumber()
  return (
    <Row words={props.words}>
      <Commit
        value={props.value}
        label={props.words}
        width="72px"
        figure
        onKeep={(text) => number(props.words, text, props.onKeep)}
      />
      <Box w="48px" color="ink2">
        {props.unit}
      </Box>
    </Row>
  )
}

export function Check(props: {
  words: string
  label?: string
  on: boolean
  onChange: (on: boolean) => void
}) {
  return (
    <Row words={props.words}>
      <input
        type="checkbox"
        checked={props.on}
        aria-label={props.label ?? props.words}
        onChange={(event) => props.onChange(event.target.checked)}
      />
    </Row>
  )
}

export type Origins = Record<string, (typeof ORIGINS)[number]>

/** A figure with where it is from; one from nobody carries ~, and so does every sum it is in. */
export function OriginRow(props: {
  item: string
  field: string
  words: string
  /** What it is called where its words alone would not tell it from others. */
  label?: string
  unit: string
  value: number
  origins: Origins | undefined
  /** Words with the number, such as a unit, are for the core to read. */
  worded?: boolean
}) {
  const { edit } = useRig()
  const number = useNumber()
  const label = props.label ?? props.words
  const origin = props.origins?.[props.field] ?? "assumed"
  const set = (value: number | string, from: (typeof ORIGINS)[number]) =>
    edit([{ edit: "set", item: props.item, values: { [props.field]: value }, origin: from }])
  return (
    <Row words={props.words}>
      <chakra.span color="ink2" w="8px">
        {origin === "assumed" ? "~" : ""}
      </chakra.span>
      <Commit
        value={props.value}
        label={label}
        width="60px"
        figure
        onKeep={(text) =>
          props.worded ? set(text, "typed") : number(label, text, (value) => set(value, "typed"))
        }
      />
      <Box w="46px" color="ink2">
        {props.unit}
      </Box>
      <Select
        w="100px"
        aria-label={`Where ${label.toLowerCase()} is from`}
        value={origin}
        onChange={(event) => void set(props.value, event.target.value as (typeof ORIGINS)[number])}
      >
        {ORIGINS.map((each) => (
          <option key={each}>{each}</option>
        ))}
      </Select>
    </Row>
  )
}

/** What the model says of a field that may be set. */
export interface Told {
  label: string
  unit: string
  lowest: number | null
  highest: number | null
  figure: boolean
}

/** A field drawn from what the model says of it: a switch, a number, one that may be left out, a figure with its origin. */
export function FieldRow(props: {
  item: string
  field: string
  value: boolean | number | null
  told: Told
  origins?: Origins
}) {
  const set = useSet(props.item)
  const { item, field, value, told } = props
  const words = told.label[0]?.toUpperCase() + told.label.slice(1)
  const range =
    told.lowest !== null && told.highest !== null
      ? `${told.lowest} to ${told.highest} ${told.unit}`
      : undefined
  const keep = (now: boolean | number | null) => set({ [field]: now })
  return (
    <Box title={range}>
      {typeof value === "boolean" ? (
        <Check words={words} on={value} onChange={(on) => void keep(on)} />
      ) : value === null || field.startsWith("highest") ? (
        <Some words={`${words} (${told.unit})`} label={words} value={value} none="any" onKeep={keep} />
      ) : told.figure ? (
        <OriginRow
          item={item}
          field={field}
          words={words}
          unit={told.unit}
          value={value}
          origins={props.origins}
        />
      ) : (
        <NumberRow words={words} unit={told.unit} value={value} onKeep={keep} />
      )}
    </Box>
  )
}

/** A number that may be left out; `none` says what an empty field means. */
export function Some(props: {
  words: string
  label?: string
  value: number | null | undefined
  none?: string
  onKeep: (value: number | null) => Kept
}) {
  const number = useNumber()
  const label = props.label ?? props.words
  return (
    <Row words={props.words}>
      <Commit
        value={props.value ?? null}
        label={label}
        width="60px"
        figure
        placeholder={props.none ?? "all"}
        onKeep={(text) => (text === "" ? props.onKeep(null) : number(label, text, props.onKeep))}
      />
    </Row>
  )
}

export function NumberList({
  label,
  values,
  onKeep,
}: {
  label: string
  values: number[]
  onKeep: (values: number[]) => Kept
}) {
  const { say } = useRig()
  return (
    <Commit
      value={values.join(" ")}
      label={label}
      width="150px"
      onKeep={(text) => {
        const numbers = text
          .split(/[\s,;]+/)
          .filter(Boolean)
          .map(Number)
        if (numbers.length === 0 || numbers.some(Number.isNaN))
          say(`${label}: “${text}” is no list of numbers.`)
        else return onKeep(numbers)
        return false
      }}
    />
  )
}
