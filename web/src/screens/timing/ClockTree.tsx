import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { Select } from "../../parts/controls"
import { Mark } from "../../parts/Mark"
import { usePropose } from "../../parts/propose"
import { useSelection } from "../../parts/selection"
import { ClockSelect, useClocks, type ClockRow } from "../gear/Clock"

/** Every box below the one whose clock it runs on, with its rate; a free clock says what it does. */
export function ClockTree({ boxes }: { boxes: Interface[] }) {
  const rows = useClocks().data ?? []
  return (
    <Box as="ul" aria-label="Clocks" listStyleType="none">
      {rows.map((row) => {
        const box = boxes.find((each) => each.id === row.box)
        return box && <Row key={row.box} row={row} box={box} />
      })}
    </Box>
  )
}

function Row({ row, box }: { row: ClockRow; box: Interface }) {
  const { state } = useRig()
  const propose = usePropose()
  const { openSnags } = useSelection()
  const snag = state.survey.snags.find(
    (each) =>
      ["clocks-drift", "clock-not-locked", "clock-loop"].includes(each.rule) && each.items[0] === box.id,
  )
  const told = row.trouble || row.drift
  return (
    <Box
      as="li"
      pl={`${12 + 14 * row.depth}px`}
      pr="12px"
      py="3px"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      bg="sheet"
      data-clock={row.name}
    >
      <Flex gap="6px" align="center" minH="26px">
        {row.depth > 0 && (
          <chakra.span
            aria-hidden
            w="10px"
            h="12px"
            mt="-10px"
            borderLeft="1.5px solid"
            borderBottom="1.5px solid"
            borderColor="ink"
          />
        )}
        {told && <Mark severity="trouble" label={row.trouble ? "not locked" : "drifts"} />}
        <b>{row.name}</b>
        {row.master && <chakra.span color="ink2">master</chakra.span>}
        {!box.connected && <chakra.span color="wax">absent</chakra.span>}
        <Box flex="1" />
        <Select
          aria-label={`Rate of ${box.name}`}
          value={box.rate_hz}
          onChange={(event) =>
            void propose({
              edits: [{ edit: "set", item: box.id, values: { rate_hz: Number(event.target.value) } }],
              words: `run ${box.name} at ${Number(event.target.value) / 1000} kHz`,
            })
          }
        >
          {box.rates_hz.map((rate) => (
            <option key={rate} value={rate}>
              {rate / 1000} kHz
            </option>
          ))}
        </Select>
      </Flex>
      <Flex gap="8px" align="center" minH="26px" color="ink2">
        <ClockSelect row={row} />
        {row.depth === 0 && <span>{row.pace || row.words}</span>}
        {row.reference_us !== null && (
          <chakra.span title={`AES11: ${row.tolerance}`} textStyle="figureSmall">
            ±{row.reference_us.toFixed(2)} μs of its reference
          </chakra.span>
        )}
      </Flex>
      {told && (
        <chakra.button
          display="block"
          color="wax"
          textAlign="left"
          cursor="pointer"
          onClick={() => openSnags(snag?.key ?? "")}
        >
          {told}
        </chakra.button>
      )}
    </Box>
  )
}
