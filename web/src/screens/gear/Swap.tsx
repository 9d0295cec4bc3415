import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, Problem, type Interface, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Input, Kbd } from "../../parts/controls"
import { NowAfter } from "../../parts/NowAfter"
import { useRested } from "../../parts/rested"
import { useOnceSeen } from "../../parts/seen"

/** Another interface for this one: where every used jack goes, and what would change, before it is made. */
export function Swap({ box, onClose }: { box: Interface; onClose: () => void }) {
  const { state, edit } = useRig()
  const [text, setText] = useState("")
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
  const seen = wanted === text ? plan.data : undefined
  const { press, takeBack } = useOnceSeen(seen, (plan) => {
    void edit(plan.edits).then((kept) => kept && onClose())
  })
  return (
    <chakra.form
      aria-label={`Swap ${box.name}`}
      flex="none"
      bg="pencilWash"
      borderTop="1px dashed"
      borderColor="pencil"
      px="12px"
      py="6px"
      textStyle="cell"
      color="pencil"
      onSubmit={(event) => event.preventDefault()}
      onKeyDown={(event) => {
        if (event.key === "Escape") {
          event.stopPropagation()
          onClose()
        }
        if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) {
          event.preventDefault()
          event.stopPropagation()
          press()
        }
      }}
    >
      <Flex gap="10px" align="center">
        <b>Swap {box.name} for</b>
        <Input
          autoFocus
          w="220px"
          aria-label="Swap for"
          placeholder="box 4x4, or a catalogue name"
          bad={refusal !== null}
          value={text}
          onChange={(event) => {
            takeBack()
            setText(event.target.value)
          }}
        />
        <Button variant="ink" size="row" onClick={() => press()} disabled={!seen}>
          Swap{" "}
          <Kbd borderColor="onSea" color="onSea">
            Ctrl Enter
          </Kbd>
        </Button>
        <Button variant="quiet" size="row" onClick={onClose}>
          Back <Kbd>Esc</Kbd>
        </Button>
        {refusal && (
          <chakra.span color="wax" role="status">
            {refusal.message}
          </chakra.span>
        )}
      </Flex>
      {plan.data && (
        <Flex mt="6px" gap="16px" maxH="260px">
          <Box overflowY="auto" tabIndex={0} minW="300px">
            <chakra.table borderCollapse="collapse" aria-label="Where every jack goes">
              <tbody>
                {plan.data.jacks.map((jack) => (
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
          <Box flex="1" maxW="640px" overflowY="auto" tabIndex={0}>
            <NowAfter trial={plan.data.trial} />
          </Box>
        </Flex>
      )}
    </chakra.form>
  )
}
