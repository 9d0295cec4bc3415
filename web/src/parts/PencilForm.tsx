import { Box, Flex, chakra } from "@chakra-ui/react"
import type { ReactNode } from "react"

import type { NowAfter as Trial, Problem } from "../api/client"
import { Button, Kbd } from "./controls"
import { NowAfter } from "./NowAfter"

interface Props {
  label: string
  /** What the button says, and whether Enter alone is enough. */
  make: string
  enter?: boolean
  ready: boolean
  refusal: Problem | null
  trial: Trial | undefined
  onMake: () => void
  onClose: () => void
  /** Empties what is typed: what was left half done stands there when it is opened again. */
  onClear?: () => void
  /** The fields. */
  children: ReactNode
  /** What stands beside Now and After; ``keeps``: also while something typed there is refused. */
  beside?: ReactNode
  keeps?: boolean
}

/** Something typed that is in pencil until it is made: its fields, what is refused, and Now and After. */
export function PencilForm(props: Props) {
  const { refusal, trial, onMake, onClose } = props
  // Enter in a choice opens it and submits nothing by itself.
  const isPlain = (target: EventTarget) => props.enter === true && target instanceof HTMLSelectElement
  return (
    <chakra.form
      aria-label={props.label}
      flex="none"
      bg="pencilWash"
      borderTop="1px dashed"
      borderBottom="1px dashed"
      borderColor="pencil"
      px="12px"
      py="6px"
      textStyle="cell"
      color="pencil"
      onSubmit={(event) => {
        event.preventDefault()
        if (props.enter) onMake()
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") {
          event.stopPropagation()
          onClose()
        } else if (event.key === "Enter" && (event.ctrlKey || event.metaKey || isPlain(event.target))) {
          event.preventDefault()
          event.stopPropagation()
          onMake()
        }
      }}
    >
      <Flex gap="10px" align="center" wrap="wrap">
        {props.children}
        <Button
          variant="ink"
          size="row"
          type={props.enter ? "submit" : "button"}
          onClick={props.enter ? undefined : onMake}
          disabled={!props.ready || refusal !== null}
        >
          {props.make}{" "}
          <Kbd borderColor="currentColor" color="inherit">
            {props.enter ? "Enter" : "Ctrl Enter"}
          </Kbd>
        </Button>
        <Button variant="quiet" size="row" onClick={onClose}>
          Back <Kbd>Esc</Kbd>
        </Button>
        {props.onClear && <Clear onClear={props.onClear} />}
      </Flex>
      {refusal && (
        <Box color="wax" role="status" mt="4px">
          {refusal.message}
        </Box>
      )}
      {((trial && !refusal) || (refusal && props.keeps)) && (
        <Flex mt="6px" gap="16px" maxH="260px">
          {props.beside}
          {trial && !refusal && (
            <Box flex="1" maxW="720px" overflowY="auto" tabIndex={0}>
              <NowAfter trial={trial} />
            </Box>
          )}
        </Flex>
      )}
    </chakra.form>
  )
}

/** Empties a form that was left half done. */
export function Clear({ onClear }: { onClear: () => void }) {
  return (
    <Button variant="quiet" size="row" title="Empty what is typed here" onClick={onClear}>
      Clear
    </Button>
  )
}
