import { Flex } from "@chakra-ui/react"

import type { LineView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Commit } from "../../parts/Commit"

/** Shows and changes what a line says about its way: names that every copy passes, and names that no copy may pass. */
export function Way({ line }: { line: LineView }) {
  const { edit } = useRig()
  const set = (values: Record<string, string>) => edit([{ edit: "set", item: line.id, values }])
  return (
    <Flex gap="4px" align="center" textStyle="cell" color="ink2">
      through
      <Commit
        value={line.through || null}
        label={`What ${line.name} goes through`}
        width="96px"
        placeholder="any way"
        onKeep={(through) => set({ through })}
      />
      never by
      <Commit
        value={line.never_by || null}
        label={`What ${line.name} never passes`}
        width="84px"
        placeholder="nothing"
        onKeep={(never_by) => set({ never_by })}
      />
    </Flex>
  )
}
