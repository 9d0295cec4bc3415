import { Flex } from "@chakra-ui/react"

import type { LineView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"

/** What a line says about its way, typed as names: what every copy passes, and what none may. */
export function Way({ line }: { line: LineView }) {
  const { edit } = useRig()
  const set = (values: Record<string, string>) => edit([{ edit: "set", item: line.id, values }])
  return (
    <Flex gap="4px" align="center" textStyle="cell" color="ink2">
      through
      <Commit
        value={line.through || null}
        label={`Through of ${line.name}`}
        width="96px"
        placeholder="any way"
        onKeep={(through) => set({ through })}
      />
      never by
      <Commit
        value={line.never_by || null}
        label={`Never by of ${line.name}`}
        width="84px"
        placeholder="nothing"
        onKeep={(never_by) => set({ never_by })}
      />
    </Flex>
  )
}
