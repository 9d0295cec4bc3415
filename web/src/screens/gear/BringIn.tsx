import { Flex, chakra } from "@chakra-ui/react"
import { useQuery, useQueryClient } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, Problem, type Schemas } from "../../api/client"
import { PARTS, type Part } from "../../api/parts"
import { useRig } from "../../api/rig"
import { Figure, Input, Select } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { PencilForm } from "../../parts/PencilForm"
import { useRested } from "../../parts/rested"
import { useShown, WORKED_OUT } from "../../parts/seen"

type View = Schemas["BringView"]
type Row = View["rows"][number]
type Move = NonNullable<Schemas["BringRequest"]["ports"]>[number]

const SAYS: Record<Row["does"], string> = {
  new: "comes new",
  set: "set as in the part",
  same: "says the same",
  stays: "stays as it is",
  "left out": "left out",
  removed: "removed",
  "not needed": "not in the part",
}

/** The same of several. */
const SAY: Record<Row["does"], string> = {
  ...SAYS,
  new: "come new",
  same: "say the same",
  stays: "stay as they are",
}

/** What is decided by somebody first, what needs nobody last. */
const ORDER: Row["does"][] = ["left out", "stays", "removed", "not needed", "new", "set", "same"]
const BANKS: Record<Move["bank"], string> = {
  capture: "in",
  playback: "out",
  jack_in: "jack in",
  jack_out: "jack out",
}

interface Props {
  part: Part
  /** The gear that was chosen: a part of one piece of its kind is meant for it. */
  chosen: { id: string; kind: string } | null
  onClose: () => void
}

/** A part on its way into the rig: into what, what of it, where every channel goes; Now and After; one undo. */
export function BringIn({ part, chosen, onClose }: Props) {
  const { state, bring } = useRig()
  const cache = useQueryClient()
  const [into, setInto] = useState<Record<string, string | null>>({})
  const [left, setLeft] = useState<Part["kinds"]>([])
  const [ports, setPorts] = useState<Move[]>([])
  const [over, setOver] = useState(false)
  const [remove, setRemove] = useState(false)
  const asked: Schemas["BringRequest"] = {
    part: part.id,
    into,
    kinds: part.kinds.filter((kind) => !left.includes(kind)),
    ports,
    over_used: over,
    remove_unused: remove,
  }
  const wanted = useRested(JSON.stringify(asked), 150)
  const plan = useQuery({
    queryKey: ["bring", state.id, state.revision, wanted],
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answer<View>(
        client.POST("/api/rigs/{rig_id}/bring-in/trial", {
          params: { path: { rig_id: state.id } },
          body: JSON.parse(wanted) as Schemas["BringRequest"],
        }),
      ),
  })
  const refusal = plan.error instanceof Problem ? plan.error : null
  const rested = wanted === JSON.stringify(asked)
  const current = rested && !plan.isPlaceholderData ? plan.data : undefined
  const press = useShown(
    refusal ? null : current,
    () =>
      bring(asked).then((kept) => {
        if (!kept) return false
        void cache.invalidateQueries({ queryKey: PARTS })
        onClose()
        return true
      }),
    rested && refusal ? refusal.message : WORKED_OUT,
  )
  useKeys([
    { keys: "Ctrl+Enter", words: "Bring the part in", run: press },
    { keys: "Escape", words: "Leave the part out", run: onClose },
  ])
  // What was shown last stays while something typed is refused: nothing typed is lost.
  const [last, setLast] = useState<View | null>(null)
  if (plan.data && plan.data !== last) setLast(plan.data)
  const view = plan.data ?? last ?? undefined
  // A part of a single program brought in with a program chosen is meant for that one, whatever it is called.
  const [meant, setMeant] = useState(false)
  if (view && !meant) {
    setMeant(true)
    const alike = view.pieces.filter((piece) => piece.kind === chosen?.kind)
    const [only] = alike
    if (only && chosen && alike.length === 1 && only.into !== chosen.id) setInto({ [only.piece]: chosen.id })
  }
  return (
    <PencilForm
      label={`Bring in ${part.name}`}
      make="Bring in"
      ready={view !== undefined}
      refusal={refusal}
      trial={plan.data?.trial}
      onMake={press}
      onClose={onClose}
      keeps
      beside={
        view && (
          <Flex gap="16px" overflowY="auto" tabIndex={0} minW="520px" maxH="260px" align="start">
            {view.ports.length > 0 && (
              <Ports
                ports={view.ports}
                onMove={(move) => setPorts([...ports.filter((each) => !same(each, move)), move])}
              />
            )}
            <Becomes rows={view.rows} />
          </Flex>
        )
      }
    >
      <b>Bring in {part.name}</b>
      {view?.pieces
        .filter((piece) => view.pieces.length <= 3 || piece.into === null)
        .slice(0, 6)
        .map((piece) => (
          <label key={piece.piece}>
            {view.pieces.length > 1 ? `${piece.name} into` : "into"}{" "}
            <Select
              aria-label={`Bring ${piece.name} into`}
              value={into[piece.piece] === null ? "" : (into[piece.piece] ?? piece.into ?? "")}
              onChange={(event) => {
                setPorts([])
                setInto({ ...into, [piece.piece]: event.target.value || null })
              }}
            >
              <option value="">a new one</option>
              {view.choices[piece.piece]?.map(([id, name]) => (
                <option key={id} value={id}>
                  {name}
                </option>
              ))}
            </Select>
          </label>
        ))}
      <Flex gap="10px" wrap="wrap" role="group" aria-label="What of it">
        {part.kinds.map((kind) => (
          <label key={kind}>
            <input
              type="checkbox"
              checked={!left.includes(kind)}
              onChange={(event) =>
                setLeft(event.target.checked ? left.filter((each) => each !== kind) : [...left, kind])
              }
            />{" "}
            {kind}
          </label>
        ))}
      </Flex>
      <label>
        <input type="checkbox" checked={over} onChange={(event) => setOver(event.target.checked)} /> set what
        is in use, too
      </label>
      {view && view.offers > 0 && (
        <label>
          <input type="checkbox" checked={remove} onChange={(event) => setRemove(event.target.checked)} />{" "}
          remove the {view.offers} that nobody uses
        </label>
      )}
    </PencilForm>
  )
}

const same = (one: Move, other: Move) =>
  one.piece === other.piece && one.bank === other.bank && one.number === other.number

/** Where one channel goes; Enter keeps it and goes on to the next. */
function PortField({ row, onMove }: { row: View["ports"][number]; onMove: (move: Move) => void }) {
  const now = String(row.to ?? "")
  const [text, setText] = useState(now)
  const [kept, setKept] = useState(now)
  if (kept !== now) {
    setKept(now)
    setText(now)
  }
  const wanted = text.trim() === "" ? null : Number(text)
  const bad = wanted !== null && !(Number.isInteger(wanted) && wanted >= 1 && wanted <= 128)
  const keep = () => {
    if (!bad && wanted !== row.to)
      onMove({ piece: row.piece, bank: row.bank, number: row.number, to: wanted })
  }
  return (
    <Input
      w="44px"
      h="22px"
      figure
      bad={bad}
      aria-invalid={bad}
      aria-label={`${BANKS[row.bank]} ${row.number} of the part goes to`}
      placeholder="none"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key !== "Enter" || event.ctrlKey || event.metaKey) return
        event.preventDefault()
        keep()
        const fields = [...(event.currentTarget.closest("table")?.querySelectorAll("input") ?? [])]
        fields[fields.indexOf(event.currentTarget) + 1]?.focus()
      }}
    />
  )
}

/** Which channel or jack here takes over from which of the part's, those without a place first. */
function Ports({ ports, onMove }: { ports: View["ports"]; onMove: (move: Move) => void }) {
  return (
    <chakra.table borderCollapse="collapse" aria-label="Where every channel goes" flex="none">
      <thead>
        <tr>
          {["In the part", "stood for", "here", ""].map((title) => (
            <chakra.th key={title} textAlign="left" fontWeight="600" pr="8px">
              {title}
            </chakra.th>
          ))}
        </tr>
      </thead>
      <tbody>
        {ports.map((row) => (
          <chakra.tr key={`${row.piece}${row.bank}${row.number}`} color={row.to === null ? "wax" : "pencil"}>
            <chakra.td pr="8px" whiteSpace="nowrap">
              <Figure>
                {BANKS[row.bank]} {row.number}
              </Figure>
            </chakra.td>
            <chakra.td pr="8px" maxW="130px" overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap">
              {row.of}
            </chakra.td>
            <chakra.td pr="8px">
              <PortField row={row} onMove={onMove} />
            </chakra.td>
            <chakra.td whiteSpace="nowrap">{row.why}</chakra.td>
          </chakra.tr>
        ))}
      </tbody>
    </chakra.table>
  )
}

/** What becomes of everything: what does not come along and what stays first; much of the same in one row. */
function Becomes({ rows }: { rows: Row[] }) {
  const groups = new Map<string, Row[]>()
  for (const row of ORDER.flatMap((does) => rows.filter((each) => each.does === does))) {
    const key = row.why ? `${row.gear} ${row.name} ${row.why}` : `${row.gear} ${row.kind} ${row.does}`
    groups.set(key, [...(groups.get(key) ?? []), row])
  }
  return (
    <chakra.table borderCollapse="collapse" aria-label="What becomes of everything">
      <tbody>
        {[...groups.entries()].map(([key, [row, ...more]]) =>
          row ? (
            <chakra.tr key={key} color={row.does === "left out" ? "wax" : "pencil"} verticalAlign="top">
              <chakra.td pr="10px">{row.gear === row.name ? "" : row.gear}</chakra.td>
              <chakra.td pr="10px" maxW="260px">
                {more.length > 0 && `${row.kind}: `}
                {[row, ...more].map((each) => each.name).join(", ")}
              </chakra.td>
              <chakra.td pr="10px" whiteSpace="nowrap" fontWeight="600">
                {more.length > 0 ? SAY[row.does] : SAYS[row.does]}
              </chakra.td>
              <td>{row.why}</td>
            </chakra.tr>
          ) : null,
        )}
      </tbody>
    </chakra.table>
  )
}
