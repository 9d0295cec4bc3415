import { Box, Flex } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useCallback, useMemo, useState, type ReactNode } from "react"

import { answer, client, type Edit, type NowAfter as Trial } from "../api/client"
import { useRig } from "../api/rig"
import { Button, Kbd } from "./controls"
import { useKeys } from "./keys"
import { NowAfter } from "./NowAfter"
import { ProposeContext, type Asked } from "./propose"
import { useShown } from "./seen"

/** Changes that are shown, Now and After, before they are made; over any place, in pencil. */
export function ProposalProvider({ children }: { children: ReactNode }) {
  const { state, edit, say } = useRig()
  const [asked, setAsked] = useState<(Asked & { answer: (kept: boolean | "left") => void }) | null>(null)
  const tried = useCallback(
    (edits: Edit[]) =>
      answer<Trial>(
        client.POST("/api/rigs/{rig_id}/trial", { params: { path: { rig_id: state.id } }, body: { edits } }),
      ),
    [state.id],
  )
  const propose = useCallback(
    async (next: Asked) => {
      if (next.unlessHarmless) {
        try {
          const trial = await tried(next.edits)
          if (!trial.harms) return await edit(next.edits)
        } catch (problem) {
          say(problem instanceof Error ? problem.message : String(problem))
          return false
        }
      }
      return new Promise<boolean | "left">((answered) => {
        setAsked((before) => {
          before?.answer("left")
          return { ...next, answer: answered }
        })
      })
    },
    [edit, say, tried],
  )
  const handle = useMemo(() => ({ propose }), [propose])
  return (
    <ProposeContext value={handle}>
      {children}
      {asked && (
        <Proposal
          asked={asked}
          tried={tried}
          onClose={(kept) => {
            asked.answer(kept)
            setAsked(null)
          }}
        />
      )}
    </ProposeContext>
  )
}

interface Props {
  asked: Asked
  tried: (edits: Edit[]) => Promise<Trial>
  onClose: (kept: boolean | "left") => void
}

function Proposal({ asked, tried, onClose }: Props) {
  const { state, edit } = useRig()
  const trial = useQuery({
    queryKey: ["proposal", state.id, state.revision, asked.edits],
    queryFn: () => tried(asked.edits),
    retry: false,
  })
  const apply = useShown(trial.data, () => edit(asked.edits).then((kept) => kept && onClose(true)))
  useKeys([
    { keys: "Ctrl+Enter", words: "Make this change", run: apply, inFields: true },
    { keys: "Escape", words: "Leave it as it is", run: () => onClose("left"), inFields: true },
  ])
  return (
    <Box
      role="dialog"
      aria-label={`Trial: ${asked.words}`}
      position="absolute"
      bottom="12px"
      left="50%"
      transform="translateX(-50%)"
      w="560px"
      maxW="calc(100% - 24px)"
      maxH="calc(100% - 24px)"
      overflowY="auto"
      bg="sheet"
      border="1px dashed"
      borderColor="pencil"
      p="10px"
      zIndex="25"
      textStyle="cell"
    >
      <Box fontWeight="600" color="pencil" mb="6px">
        Trial: {asked.words}
      </Box>
      {trial.error && (
        <Box color="wax" role="status">
          {trial.error.message}
        </Box>
      )}
      {trial.data && <NowAfter trial={trial.data} />}
      <Flex gap="8px" mt="8px">
        <Button variant="ink" onClick={apply} disabled={!trial.data}>
          Apply{" "}
          <Kbd borderColor="currentColor" color="inherit">
            Ctrl Enter
          </Kbd>
        </Button>
        <Button variant="quiet" onClick={() => onClose("left")}>
          Leave it <Kbd>Esc</Kbd>
        </Button>
      </Flex>
    </Box>
  )
}
