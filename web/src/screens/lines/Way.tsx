import { Flex } from "@chakra-ui/react"

import type { LineView } from "../../api/client"
import { Commit } from "../../parts/Commit"

export type Values = Record<string, string | number | boolean | null>
/** Sets fields of a line, and of those that are marked with it; false if it was refused. */
export type OnSet = (values: Values) => Promise<boolean>

/** Shows and changes what a line says about its way: names that every copy passes, and names that no copy may pass. */
export function Way({ line, onSet }: { line: LineView; onSet: OnSet }) {
  return (
    <Flex gap="4px" align="center" textStyle="cell" color="ink2">
      through
      <Commit
        value={line.through || null}
        label={`What ${line.name} goes through`}
        width="96px"
        placeholder="any way"
        onKeep={(through) => onSet({ through })}
      />
      never by
      <Commit
        value={line.never_by || null}
        label={`What ${line.name} never passes`}
        width="84px"
        placeholder="nothing"
        onKeep={(never_by) => onSet({ never_by })}
      />
    </Flex>
  )
}
