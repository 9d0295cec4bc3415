import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useMemo, useState } from "react"

import { answer, client, type LineView, type NowAfter, type Schemas, type Station } from "../../api/client"
import { useRig } from "../../api/rig"
import { Input, Kbd } from "../../parts/controls"
import { rangeOf, type Range } from "./columns"

interface Props {
  line: LineView
  column: Station["column"]
  onMove: (step: number) => void
  onLeave: () => void
  onRange: (range: Range) => void
}

/** The picker under a station: each choice with who uses it now; the chosen one with what it would do. */
export function StationEditor({ line, column, onMove, onLeave, onRange }: Props) {
  const { state, edit } = useRig()
  const [text, setText] = useState("")
  const [at, setAt] = useState<number | null>(null)
  const path = { rig_id: state.id, line_id: line.id }
  const found = useQuery({
    queryKey: ["choices", state.id, state.revision, line.id, column],
    queryFn: () =>
      answer<Schemas["Choices"]>(
        client.GET("/api/rigs/{rig_id}/lines/{line_id}/choices", { params: { path, query: { column } } }),
      ),
  })
  const all = found.data?.choices
  const fitting = useMemo(() => {
    // A range is written with a dash in the labels, and typed with a hyphen.
    const words = text
      .toLowerCase()
      .replace(/(\d)-(\d)/g, "$1–$2")
      .split(/\s+/)
      .filter(Boolean)
    return (all ?? []).filter((choice) => words.every((word) => choice.label.toLowerCase().includes(word)))
  }, [all, text])
  const index = at ?? Math.max(0, text ? 0 : fitting.findIndex((choice) => choice.current))
  const choice = fitting[index]
  const trial = useQuery({
    queryKey: ["trial", state.id, state.revision, choice?.edits],
    enabled: !!choice && choice.edits.length > 0,
    queryFn: () =>
      answer<NowAfter>(
        client.POST("/api/rigs/{rig_id}/trial", {
          params: { path: { rig_id: state.id } },
          body: { edits: choice?.edits ?? [] },
        }),
      ),
  })
  const range = fitting.length === 0 ? rangeOf(text) : null
  const take = (step: number) => {
    // What is typed waits until the choices are there.
    if (!all && text) return
    if (range) return onRange(range)
    if (choice && choice.edits.length > 0) void edit(choice.edits)
    if (step) onMove(step)
    else onLeave()
  }
  return (
    <Box
      position="absolute"
      left="0"
      top="0"
      w="300px"
      zIndex="10"
      bg="sheet"
      border="1px solid"
      borderColor="sea"
      onClick={(event) => event.stopPropagation()}
      onDoubleClick={(event) => event.stopPropagation()}
    >
      <Input
        autoFocus
        w="100%"
        h="27px"
        border="0"
        borderBottom="1px solid"
        borderColor="rule"
        placeholder={`${found.data?.heading ?? ""}: type to find`}
        aria-label={`${found.data?.heading ?? "Station"} of ${line.name}`}
        role="combobox"
        aria-expanded="true"
        aria-controls="station-choices"
        value={text}
        onChange={(event) => {
          setText(event.target.value)
          setAt(null)
        }}
        onBlur={onLeave}
        onKeyDown={(event) => {
          const steps: Record<string, () => void> = {
            ArrowDown: () => setAt(Math.min(fitting.length - 1, index + 1)),
            ArrowUp: () => setAt(Math.max(0, index - 1)),
            Enter: () => take(0),
            Escape: onLeave,
            Tab: () =>
              at === null && !text ? onMove(event.shiftKey ? -1 : 1) : take(event.shiftKey ? -1 : 1),
          }
          const step = steps[event.key]
          if (!step) return
          event.preventDefault()
          event.stopPropagation()
          step()
        }}
      />
      <Box id="station-choices" role="listbox" maxH="196px" overflowY="auto">
        {fitting.map((each, position) => (
          <Flex
            key={each.label}
            role="option"
            aria-selected={position === index}
            h="24px"
            px="6px"
            gap="8px"
            align="center"
            bg={position === index ? "wash" : "sheet"}
            boxShadow={position === index ? "inset 3px 0 0 {colors.sea}" : undefined}
            cursor="pointer"
            onMouseDown={(event) => {
              event.preventDefault()
              if (each.edits.length > 0) void edit(each.edits)
              onLeave()
            }}
            onMouseEnter={() => setAt(position)}
            ref={(row: HTMLDivElement | null) => {
              if (position === index) row?.scrollIntoView({ block: "nearest" })
            }}
          >
            <Box
              flex="1"
              whiteSpace="nowrap"
              overflow="hidden"
              textOverflow="ellipsis"
              fontWeight={each.current ? "600" : "400"}
            >
              {each.label}
            </Box>
            <Box color="ink3" maxW="45%" whiteSpace="nowrap" overflow="hidden" textOverflow="ellipsis">
              {each.note}
            </Box>
          </Flex>
        ))}
        {found.data && fitting.length === 0 && (
          <Box px="6px" py="4px" color="ink2" whiteSpace="normal">
            {range
              ? `Enter fills ${range.start}–${range.end} downward from this line, in pencil first.`
              : found.data.choices.length === 0
                ? found.data.note
                : `Nothing here has “${text}” in its name.`}
          </Box>
        )}
      </Box>
      <Box
        borderTop="1px dashed"
        borderColor="pencil"
        bg="pencilWash"
        color="pencil"
        px="6px"
        py="3px"
        minH="24px"
        whiteSpace="normal"
      >
        {trial.error ? (
          <chakra.span color="wax">{trial.error.message}</chakra.span>
        ) : choice && choice.edits.length > 0 && trial.data ? (
          <>
            arrive {trial.data.arriving_now} → {trial.data.arriving_after}
            {trial.data.lines.slice(0, 2).map((change) => (
              <Box key={change.what}>
                {change.what}: {change.now} → {change.after}
              </Box>
            ))}
            {trial.data.new_snags.length > 0 && <Box>new: {trial.data.new_snags[0]}</Box>}
          </>
        ) : (
          <span>
            {choice ? "as it is now" : ""} <Kbd>Tab</Kbd> next station
          </span>
        )}
      </Box>
    </Box>
  )
}
