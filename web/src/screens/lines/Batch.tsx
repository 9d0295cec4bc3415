import { Flex } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useMemo } from "react"

import { answer, client, Problem, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Input } from "../../parts/controls"
import { useDraft } from "../../parts/drafts"
import { PencilForm } from "../../parts/PencilForm"
import { useRested } from "../../parts/rested"
import { useShown, WORKED_OUT } from "../../parts/seen"

const FIELDS = [
  ["sources", "From", "mic 1-4, mix of mic", "150px"],
  ["record_to", "Record to", "rec new", "130px"],
  ["heard_at", "Heard at", "headphones", "120px"],
  ["name", "Name", "the source’s", "130px"],
  ["within", "Within", "ms", "56px"],
  ["through", "Through", "any way", "110px"],
  ["never_by", "Never by", "nothing", "96px"],
] as const
type Field = (typeof FIELDS)[number][0]
const EMPTY: Record<Field, string> = {
  ...{ sources: "", record_to: "", heard_at: "", name: "", within: "" },
  ...{ through: "", never_by: "" },
}

/** Many lines at once, typed as phrases; what they would do is shown in pencil until Ctrl+Enter. */
export function Batch({ onClose }: { onClose: () => void }) {
  const { state, edit } = useRig()
  const [draft, setTyped, clear] = useDraft("batch", EMPTY)
  // One that was typed before there were so many fields has none of the later ones.
  const typed = useMemo(() => (draft === EMPTY ? EMPTY : { ...EMPTY, ...draft }), [draft])
  // What is typed is looked at when the fingers rest, so that half a word is not refused.
  const wanted = useRested(typed, 150)
  const asked = wanted.sources.trim() !== ""
  const plan = useQuery({
    queryKey: ["batch", state.id, state.revision, wanted],
    enabled: asked,
    retry: false,
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Schemas["TriedRemedy"]>(
        client.POST("/api/rigs/{rig_id}/batch", { params: { path: { rig_id: state.id } }, body: wanted }),
      ),
  })
  const refusal = asked && plan.error instanceof Problem ? plan.error : null
  const rested = wanted === typed
  const seen = rested && !plan.isPlaceholderData ? plan.data : undefined
  const press = useShown(
    refusal ? null : seen,
    (plan) =>
      edit(plan.edits).then((kept) => {
        if (!kept) return false
        clear()
        onClose()
        return true
      }),
    !rested ? WORKED_OUT : refusal ? refusal.message : asked ? WORKED_OUT : "say from which sources.",
  )
  return (
    <PencilForm
      label="Batch of lines"
      make="Make lines"
      ready={asked}
      refusal={refusal}
      trial={asked ? plan.data?.trial : undefined}
      onMake={press}
      onClose={onClose}
      onClear={typed === EMPTY ? undefined : clear}
    >
      {FIELDS.map(([field, words, placeholder, width], position) => (
        <Flex as="label" key={field} gap="5px" align="center">
          {words}
          <Input
            autoFocus={position === 0}
            w={width}
            placeholder={placeholder}
            aria-label={words}
            aria-invalid={refusal?.place === words}
            bad={refusal?.place === words}
            value={typed[field]}
            onChange={(event) => setTyped({ ...typed, [field]: event.target.value })}
          />
        </Flex>
      ))}
    </PencilForm>
  )
}
