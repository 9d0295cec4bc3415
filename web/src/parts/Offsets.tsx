import { Box, Flex } from "@chakra-ui/react"

import type { Interface } from "../api/client"
import { useRig } from "../api/rig"
import { Button } from "./controls"

type Driver = Interface["drivers"][number]

/** What is known of a driver's safety offsets, by rate and buffer; each can be forgotten. */
export function Offsets({ driver }: { driver: Driver }) {
  const { edit } = useRig()
  const forget = (place: number) =>
    edit([
      {
        edit: "set",
        item: driver.id,
        values: { offsets: driver.offsets.filter((_, index) => index !== place) },
      },
    ])
  return (
    <>
      {driver.offsets.map((known, place) => {
        const where = `${known.rate_hz / 1000} kHz, buffer ${known.buffer_samples}`
        return (
          <Flex key={where} gap="4px" align="center" minH="28px" aria-label={`Known at ${where}`}>
            <Box>
              {where}: {known.in_samples} in, {known.out_samples} out, {known.origin}
            </Box>
            <Button
              size="row"
              variant="quiet"
              aria-label={`Forget what is known at ${where}`}
              onClick={() => void forget(place)}
            >
              −
            </Button>
          </Flex>
        )
      })}
    </>
  )
}
