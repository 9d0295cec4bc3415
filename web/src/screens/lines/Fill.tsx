import { Flex } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useState } from "react"

import { answer, client, Problem, type LineView, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Input, Select } from "../../parts/controls"
import { PencilForm } from "../../parts/PencilForm"
import { useShown, WORKED_OUT } from "../../parts/seen"
import type { CellName, Range } from "./columns"

const FILLABLE = [
  ["box_in", "Box in"],
  ["program_in", "Program in"],
  ["track", "Track"],
  ["out", "Out"],
] as const
type Fillable = (typeof FILLABLE)[number][0]

interface Props {
  lines: LineView[]
  /** What a range typed into a station asked for. */
  asked: { column: CellName; range: Range } | null
  /** The pencilled numbers by line, and the column they stand in. */
  onPencil: (numbers: ReadonlyMap<string, string>, column: CellName | null) => void
  onClose: () => void
}

/** Fills a column ascending over the marked lines; in pencil until Enter. */
export function Fill({ lines, asked, onPencil, onClose }: Props) {
  const { state, edit } = useRig()
  const [column, setColumn] = useState<Fillable>((asked?.column as Fillable | undefined) ?? "program_in")
  const [start, setStart] = useState(() => {
    if (asked) return String(asked.range.start)
    const first = lines[0]?.stations.find((each) => each.column === "program_in")?.number
    return /^\d+/.exec(first ?? "")?.[0] ?? "1"
  })
  const [step, setStep] = useState(String(asked?.range.step ?? 1))
  const [from, by] = [Number(start), Number(step)]
  const whole = Number.isInteger(from) && Number.isInteger(by)
  const ids = lines.map((line) => line.id)
  const plan = useQuery({
    queryKey: ["fill", state.id, state.revision, ids, column, from, by],
    enabled: whole,
    retry: false,
    queryFn: () =>
      answer<Schemas["FillView"]>(
        client.POST("/api/rigs/{rig_id}/fill", {
          params: { path: { rig_id: state.id } },
          body: { lines: ids, column, start: from, step: by },
        }),
      ),
  })
  const refusal = plan.error instanceof Problem ? plan.error : null
  const numbers = plan.data?.numbers
  useEffect(() => {
    onPencil(new Map(Object.entries(numbers ?? {})), column)
    return () => onPencil(new Map<string, string>(), null)
  }, [numbers, column, onPencil])
  const press = useShown(
    plan.data,
    (shown) => edit(shown.edits).then((kept) => kept && onClose()),
    refusal ? refusal.message : whole ? WORKED_OUT : "Start and Step are whole numbers.",
  )
  return (
    <PencilForm
      label="Fill ascending"
      make="Fill"
      enter
      ready={whole}
      refusal={refusal}
      trial={plan.data?.trial}
      onMake={press}
      onClose={onClose}
    >
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
      {(
        [
          ["Start", start, setStart],
          ["Step", step, setStep],
        ] as const
      ).map(([words, value, set], position) => (
        <Flex as="label" key={words} gap="5px" align="center">
          {words}
          <Input
            autoFocus={position === 0}
            w="48px"
            figure
            aria-label={words}
            bad={!/^\d+$/.test(value) || refusal?.place === words}
            aria-invalid={!/^\d+$/.test(value) || refusal?.place === words}
            value={value}
            onFocus={(event) => event.target.select()}
            onChange={(event) => set(event.target.value)}
          />
        </Flex>
      ))}
    </PencilForm>
  )
}
