import { Box, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, Problem, type Interface, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Figure, Input } from "../../parts/controls"
import { useDraft } from "../../parts/drafts"
import { PencilForm } from "../../parts/PencilForm"
import { useRested } from "../../parts/rested"
import { useShown, WORKED_OUT } from "../../parts/seen"

/** Another interface for this one: where every used jack goes, and what would change, before it is made. */
export function Swap({ box, onClose }: { box: Interface; onClose: () => void }) {
  const { state, edit } = useRig()
  const [text, setText, clear] = useDraft(`swap ${box.id}`, "")
  const wanted = useRested(text, 150)
  const plan = useQuery({
    queryKey: ["swap", state.id, state.revision, box.id, wanted],
    enabled: wanted.trim() !== "",
    retry: false,
    queryFn: () =>
      answer<Schemas["SwapView"]>(
        client.POST("/api/rigs/{rig_id}/swap", {
          params: { path: { rig_id: state.id } },
          body: { item: box.id, text: wanted },
        }),
      ),
  })
  const refusal = plan.error instanceof Problem ? plan.error : null
  const rested = wanted === text
  const seen = rested ? plan.data : undefined
  const press = useShown(
    seen,
    (plan) =>
      edit(plan.edits).then((kept) => {
        if (!kept) return false
        clear()
        onClose()
        return true
      }),
    rested && refusal ? refusal.message : text.trim() ? WORKED_OUT : "say for which box.",
  )
  return (
    <PencilForm
      label={`Swap ${box.name}`}
      make="Swap"
      ready={wanted.trim() !== ""}
      refusal={refusal}
      trial={plan.data?.trial}
      onMake={press}
      onClose={onClose}
      onClear={text ? clear : undefined}
      beside={plan.data && <Jacks jacks={plan.data.jacks} />}
    >
      <b>Swap {box.name} for</b>
      <Input
        autoFocus
        w="220px"
        aria-label="Swap for"
        placeholder="box 4x4, or a catalogue name"
        bad={refusal !== null}
        aria-invalid={refusal !== null}
        value={text}
        onChange={(event) => setText(event.target.value)}
      />
    </PencilForm>
  )
}

/** Every used jack and where what is in it goes; those without a place come first. */
function Jacks({ jacks }: { jacks: Schemas["JackMove"][] }) {
  return (
    <Box overflowY="auto" tabIndex={0} minW="300px">
      <chakra.table borderCollapse="collapse" aria-label="Where every jack goes">
        <tbody>
          {jacks.map((jack) => (
            <chakra.tr key={`${jack.side}${jack.number}`} color={jack.to === null ? "wax" : "pencil"}>
              <chakra.td pr="10px">{jack.used_by}</chakra.td>
              <chakra.td pr="10px">
                <Figure>
                  {jack.side} {jack.number}
                </Figure>
              </chakra.td>
              <chakra.td pr="10px">
                <Figure>{jack.to === null ? "no jack" : `${jack.side} ${jack.to}`}</Figure>
              </chakra.td>
              <td>{jack.why}</td>
            </chakra.tr>
          ))}
        </tbody>
      </chakra.table>
    </Box>
  )
}
