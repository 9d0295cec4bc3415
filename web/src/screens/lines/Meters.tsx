import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Figure, Input } from "../../parts/controls"
import { numberOf, signed } from "../../parts/figures"

type Check = Schemas["MeterCheck"]

/** A number as typed, or null where nothing is; undefined where it is none. */
function typed(text: string): number | null | undefined {
  if (text.trim() === "") return null
  return numberOf(text) ?? undefined
}

/** A level check at both meters: what each should read for one tone, and what it says if two of them do not. */
export function Meters({ line }: { line: LineView }) {
  const { state } = useRig()
  const [tone, setTone] = useState("")
  const [reads, setReads] = useState<Record<number, string>>({})
  const filled = Object.entries(reads).flatMap(([place, text]) => {
    const level = typed(text)
    return level === null || level === undefined ? [] : [[place, level] as const]
  })
  const wrong = [tone, ...Object.values(reads)].find((text) => typed(text) === undefined)
  const body = { tone: typed(tone) ?? null, reads: Object.fromEntries(filled) }
  const found = useQuery({
    queryKey: ["meters", state.id, state.revision, line.id, body],
    placeholderData: (before: Check | undefined) => before,
    retry: false,
    queryFn: () =>
      answer<Check>(
        client.POST("/api/rigs/{rig_id}/lines/{line_id}/meters", {
          params: { path: { rig_id: state.id, line_id: line.id } },
          body,
        }),
      ),
  })
  const check = found.data
  if (!check) return <Box color="wax">{found.error?.message}</Box>
  return (
    <Flex gap="32px" mt="4px" align="flex-start" textStyle="cell">
      <Box flex="none">
        <Flex as="label" gap="6px" align="center" minH="28px">
          <b>Tone at the source</b>
          <Input
            w="64px"
            h="22px"
            figure
            aria-label="Tone at the source"
            placeholder={check.tone.toFixed(1)}
            bad={typed(tone) === undefined}
            aria-invalid={typed(tone) === undefined}
            value={tone}
            onChange={(event) => setTone(event.target.value)}
          />
          {check.tone_unit}
        </Flex>
        <chakra.table aria-label={`Meters of ${line.name}`}>
          <thead>
            <tr>
              {["Meter", "should read", "reads"].map((head) => (
                <chakra.th key={head} textStyle="head" textAlign="left" pr="16px">
                  {head}
                </chakra.th>
              ))}
            </tr>
          </thead>
          <tbody>
            {check.points.map((point, place) => (
              <tr key={place}>
                <chakra.td pr="16px">{point.words}</chakra.td>
                <chakra.td pr="16px" textAlign="right" whiteSpace="nowrap">
                  <Figure>
                    {signed(point.level, 1)} {point.unit}
                  </Figure>
                </chakra.td>
                <td>
                  <Input
                    w="64px"
                    h="22px"
                    figure
                    aria-label={`What ${point.words} reads`}
                    placeholder="–"
                    bad={typed(reads[place] ?? "") === undefined}
                    aria-invalid={typed(reads[place] ?? "") === undefined}
                    value={reads[place] ?? ""}
                    onChange={(event) => setReads({ ...reads, [place]: event.target.value })}
                  />
                </td>
              </tr>
            ))}
          </tbody>
        </chakra.table>
      </Box>
      <Box flex="1" minW="0" role="status" aria-label="What the meters say">
        {wrong !== undefined && (
          <Box color="wax">&ldquo;{wrong}&rdquo; is no level; type for example -24.</Box>
        )}
        {check.told.length === 0 && (
          <Box color="ink2">
            Send one tone, and type what one meter reads, or two: the mixer&rsquo;s and the program&rsquo;s.
          </Box>
        )}
        {check.told.map((said) => (
          <Box key={said}>{said}.</Box>
        ))}
      </Box>
    </Flex>
  )
}
