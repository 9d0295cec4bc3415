import { Flex } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState, type ReactNode } from "react"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Select } from "../../parts/controls"
import { sayRevision, useRevisions } from "./revisions"
import { SheetPage } from "./SheetPage"

const NAME = { key: "compare", group: "Lists", title: "Comparison", about: "" } as const

/** This rig beside one of its revisions, or beside any other rig: lines, numbers, gear, settings. */
export function ComparisonPage({ sheets }: { sheets: ReactNode }) {
  const { state } = useRig()
  const revisions = useRevisions()
  const rigs = useQuery({
    queryKey: ["rigs", ""],
    queryFn: () => answer<Schemas["RigSummary"][]>(client.GET("/api/rigs", { params: { query: {} } })),
  })
  const others = (rigs.data ?? []).filter((rig) => rig.id !== state.id)
  const [chosen, setChosen] = useState<string | null>(null)
  const usual = revisions[0] ? `rev:${revisions[0].number}` : others[0] ? `rig:${others[0].id}` : ""
  const wanted = chosen ?? usual
  const [kind, which] = [wanted.slice(0, 4), wanted.slice(4)]
  const against = kind === "rig:" ? { with_rig: which } : { with_revision: Number(which) || state.revision }
  return (
    <SheetPage name={NAME} sheets={sheets} against={against}>
      <Flex as="label" gap="4px" align="center" textStyle="cell" color="ink2" whiteSpace="nowrap">
        with
        <Select
          aria-label="Compare with"
          maxW="260px"
          value={wanted}
          onChange={(event) => setChosen(event.target.value)}
        >
          {revisions.map((each) => (
            <option key={each.number} value={`rev:${each.number}`}>
              {sayRevision(each)}
            </option>
          ))}
          {others.map((rig) => (
            <option key={rig.id} value={`rig:${rig.id}`}>
              {`rig ${rig.name}, rev ${rig.revision}`}
            </option>
          ))}
          {wanted === "" && <option value="">nothing: there is no other rig</option>}
        </Select>
      </Flex>
    </SheetPage>
  )
}
