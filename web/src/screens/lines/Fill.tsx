import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useMemo, useState } from "react"

import { answer, client, Problem, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd, Select } from "../../parts/controls"
import { NowAfter } from "../../parts/NowAfter"
import type { CellName } from "./LinesTable"

const FILLABLE = [
  ["box_in", "Box in"],
  ["program_in", "Program in"],
  ["track", "Track"],
  ["out", "Out"],
] as const
type Fillable = (typeof FILLABLE)[number][0]

interface Props {
  lines: LineView[]
  /** The pencilled numbers by line, and the column they stand in. */
  onPencil: (numbers: ReadonlyMap<string, string>, column: CellName | null) => void
  onClose: () => void
}

/** Fills a column ascending over the marked lines; in pencil until Enter. */
export function Fill({ lines, onPencil, onClose }: Props) {
  const { state, edit } = useRig()
  const [column, setColumn] = useState<Fillable>("program_in")
  const [start, setStart] = useState(() => {
    const first = lines[0]?.stations.find((each) => each.column === "program_in")?.number
    return /^\d+/.exec(first ?? "")?.[0] ?? "1"
  })
  const [step, setStep] = useState("1")
  const [from, by] = [Number(start), Number(step)]
  const whole = Number.isInteger(from) && Number.isInteger(by)
  const pencil = useMemo(() => {
    const numbers = new Map<string, string>()
    let number = from
    for (const line of lines) {
      const width = Math.max(1, line.from_ports.length)
      numbers.set(line.id, width > 1 ? `${number}–${number + by * (width - 1)}` : String(number))
      number += by * width
    }
    return numbers
  }, [lines, from, by])
  useEffect(() => {
    onPencil(whole ? pencil : new Map<string, string>(), column)
    return () => onPencil(new Map<string, string>(), null)
  }, [pencil, column, whole, onPencil])
  const ids = lines.map((line) => line.id)
  const plan = useQuery({
    queryKey: ["fill", state.id, state.revision, ids, column, from, by],
    enabled: whole,
    retry: false,
    queryFn: () =>
      answer<Schemas["TriedRemedy"]>(
        client.POST("/api/rigs/{rig_id}/fill", {
          params: { path: { rig_id: state.id } },
          body: { lines: ids, column, start: from, step: by },
        }),
      ),
  })
  const refusal = plan.error instanceof Problem ? plan.error : null
  const make = async () => {
    const found = plan.data ?? (await plan.refetch()).data
    if (found && (await edit(found.edits))) onClose()
  }
  return (
    <chakra.form
      aria-label="Fill ascending"
      bg="pencilWash"
      borderTop="1px dashed"
      borderBottom="1px dashed"
      borderColor="pencil"
      px="12px"
      py="6px"
      textStyle="cell"
      color="pencil"
      onSubmit={(event) => {
        event.preventDefault()
        void make()
      }}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return
        event.stopPropagation()
        onClose()
      }}
    >
      <Flex gap="10px" align="center" wrap="wrap">
        <b>
          Fill {lines.length} {lines.length === 1 ? "line" : "lines"} ascending
        </b>
        <Flex as="label" gap="5px" align="center">
          Column
          <Select
            aria-label="Column"
            value={column}
            onChange={(event) => setColumn(event.target.value as Fillable)}
          >
            {FILLABLE.map(([key, words]) => (
              <option key={key} value={key}>
                {words}
              </option>
            ))}
          </Select>
        </Flex>
        <Flex as="label" gap="5px" align="center">
          Start
          <Input
            autoFocus
            w="48px"
            figure
            aria-label="Start"
            bad={!Number.isInteger(from) || refusal?.place === "Start"}
            value={start}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setStart(event.target.value)}
          />
        </Flex>
        <Flex as="label" gap="5px" align="center">
          Step
          <Input
            w="48px"
            figure
            aria-label="Step"
            bad={!Number.isInteger(by) || refusal?.place === "Step"}
            value={step}
            onChange={(event) => setStep(event.target.value)}
          />
        </Flex>
        <Button variant="ink" size="row" type="submit" disabled={!whole || refusal !== null}>
          Fill{" "}
          <Kbd borderColor="onSea" color="onSea">
            Enter
          </Kbd>
        </Button>
        <Button variant="quiet" size="row" onClick={onClose}>
          Back <Kbd>Esc</Kbd>
        </Button>
        {refusal && (
          <chakra.span color="wax" role="status">
            {refusal.message}
          </chakra.span>
        )}
      </Flex>
      {plan.data && !refusal && (
        <Box mt="6px" maxH="160px" maxW="720px" overflowY="auto" tabIndex={0}>
          <NowAfter trial={plan.data.trial} />
        </Box>
      )}
    </chakra.form>
  )
}
