import { useQuery } from "@tanstack/react-query"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"

type Revision = Schemas["Revision"]

const SHOWN = 40

/** The revisions that something can be held against: those with a name, then the newest others. */
export function useRevisions(): Revision[] {
  const { state } = useRig()
  const found = useQuery({
    queryKey: ["history", state.id, state.revision],
    queryFn: () =>
      answer<Revision[]>(
        client.GET("/api/rigs/{rig_id}/history", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const others = (found.data ?? []).filter((each) => each.number !== state.revision)
  return [...others.filter((each) => each.kept_as), ...others.filter((each) => !each.kept_as).slice(0, SHOWN)]
}

/** Example: “Dress” rev 12, or rev 13: renamed. */
export function sayRevision({ number, kept_as, words }: Revision): string {
  return kept_as ? `“${kept_as}” rev ${number}` : `rev ${number}: ${words.slice(0, 50)}`
}
