import { Box, Flex, chakra } from "@chakra-ui/react"
import { useEffect, useRef, useState } from "react"

import { useParts, type Part } from "../../api/parts"
import { useRig } from "../../api/rig"
import { Button, Input, Kbd } from "../../parts/controls"
import { sent, useDraft } from "../../parts/drafts"
import { Reason } from "../../parts/Reason"

const STARTERS: [string, string][] = [
  ["Microphones", "4 mic "],
  ["Instrument", "instrument "],
  ["Box", "box 8x8 "],
  ["Recorder", "recorder "],
  ["Headphones", "headphones "],
  ["Player", "player "],
]

/** The add line: gear typed as a phrase; Enter adds it and stays for the next. */
export function AddGear({ focus, onBring }: { focus: number; onBring: (part: Part) => void }) {
  const { state, addGear, take } = useRig()
  const [text, setText] = useDraft("gear", "")
  const [refused, setRefused] = useState<{ typed: string; why: string } | null>(null)
  const field = useRef<HTMLInputElement>(null)
  const empty = state.rig.gear.length === 0
  const parts = useParts().slice(0, 2)
  useEffect(() => {
    if (focus || empty) field.current?.focus()
  }, [focus, empty])
  const type = (phrase: string) => {
    setText(phrase)
    // A refusal of something else than is being typed stays until somebody has looked at it.
    if (refused?.typed === text) setRefused(null)
  }
  const start = (phrase: string) => {
    type(phrase)
    field.current?.focus()
  }
  const add = async () => {
    const typed = text
    if (!typed.trim()) return
    if (await sent(field, typed, setText, addGear))
      return setRefused((now) => (now?.typed === typed ? null : now))
    setRefused({ typed, why: take() ?? "refused" })
  }
  const given = refused !== null && refused.typed === text
  return (
    <chakra.form
      aria-label="Add gear"
      onSubmit={(event) => {
        event.preventDefault()
        void add()
      }}
    >
      <Flex minH="bar" align="center" px="12px" py="6px" gap="6px" wrap="wrap" whiteSpace="nowrap">
        <Box position="relative" w="380px" maxW="100%">
          <Input
            ref={field}
            h="28px"
            w="100%"
            bad={given}
            aria-invalid={given}
            aria-label="Add gear"
            placeholder="Type gear: 4 mic · box 8x8 Corvane · recorder · 2 headphones"
            value={text}
            onChange={(event) => type(event.target.value)}
            onKeyDown={(event) => {
              if (event.key !== "Escape") return
              event.currentTarget.blur()
              setRefused(null)
            }}
          />
          {refused && (
            <Reason of={field}>
              {given ? (
                refused.why
              ) : (
                <>
                  “{refused.typed}” was not added: {refused.why}{" "}
                  <Button size="row" variant="link" onClick={() => start(refused.typed)}>
                    Type it again
                  </Button>
                </>
              )}
            </Reason>
          )}
          <Box position="absolute" right="6px" top="4px" title="a comes back here from anywhere">
            <Kbd>a</Kbd>
          </Box>
        </Box>
        <Button variant="ink" type="submit">
          Add{" "}
          <Kbd borderColor="currentColor" color="inherit">
            Enter
          </Kbd>
        </Button>
        <chakra.span color="ink2" textStyle="cell">
          or begin with
        </chakra.span>
        {STARTERS.map(([words, phrase]) => (
          <Button key={words} size="row" variant="quiet" onClick={() => start(phrase)}>
            {words}
          </Button>
        ))}
        {parts.length > 0 && (
          <chakra.span color="ink2" textStyle="cell">
            or with the part
          </chakra.span>
        )}
        {parts.map((part) => (
          <Button key={part.id} size="row" variant="link" onClick={() => onBring(part)}>
            {part.name}
          </Button>
        ))}
      </Flex>
    </chakra.form>
  )
}
