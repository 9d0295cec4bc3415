import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState, type RefObject } from "react"

import type { SnagView } from "../../api/client"
import { Input, Kbd } from "../../parts/controls"
import { Mark } from "../../parts/Mark"
import { SYMPTOMS, type Symptom } from "./find"

interface Props {
  field: RefObject<HTMLInputElement | null>
  text: string
  symptom: Symptom | null
  /** What is typed is about something heard, without saying what. */
  asking: boolean
  found: SnagView[]
  /** The lines that it names, the track number in it that there is not, and what of it was not understood. */
  about: string[]
  missing: number | null
  unknown: string
  /** The lines that the sentence means and the title of a snag does not name. */
  also: (snag: SnagView) => string[]
  onText: (text: string) => void
  onTake: () => void
  onSnag: (snag: SnagView) => void
}

/** Finds a line by name or number, or the snags behind what somebody hears. */
export function Finder(props: Props) {
  const { field, text, symptom, asking, found, about, missing, unknown, also, onText, onTake, onSnag } = props
  const [focused, setFocused] = useState(false)
  const [at, setAt] = useState(0)
  const open = focused && (symptom !== null || asking)
  const rows = asking ? SYMPTOMS.length : found.length
  const leave = () => {
    setAt(0)
    field.current?.blur()
  }
  return (
    <Box position="relative" w="300px" minW="180px" flexShrink="1">
      <Input
        ref={field}
        w="100%"
        h="28px"
        placeholder="Name, number or what you hear"
        aria-label="Find a line"
        aria-describedby={open ? "suspects" : undefined}
        value={text}
        onFocus={() => setFocused(true)}
        onBlur={() => setFocused(false)}
        onChange={(event) => {
          setAt(0)
          onText(event.target.value)
        }}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" && open) setAt(Math.min(rows - 1, at + 1))
          else if (event.key === "ArrowUp" && open) setAt(Math.max(0, at - 1))
          else if (event.key === "Escape") {
            onText("")
            leave()
          } else if (event.key === "Enter") {
            const snag = found[at]
            const chosen = SYMPTOMS[at]
            event.preventDefault()
            if (asking && chosen) {
              setAt(0)
              onText(chosen)
              return
            }
            if (snag) onSnag(snag)
            else onTake()
            leave()
          } else return
          event.preventDefault()
        }}
      />
      <Box position="absolute" right="6px" top="4px">
        <Kbd>/</Kbd>
      </Box>
      {open && (
        <Box
          id="suspects"
          position="absolute"
          top="30px"
          left="0"
          w="520px"
          bg="sheet"
          border="1px solid"
          borderColor="edge"
          zIndex="12"
          textStyle="cell"
          data-testid="suspects"
        >
          <Box px="8px" py="4px" color="ink2" borderBottom="1px solid" borderColor="rule">
            {asking ? (
              "What do you hear?"
            ) : (
              <>
                You hear: <b>{symptom}</b>
                {about.length > 0 && ` · ${listed(about)}`}.{" "}
                {found.length > 0
                  ? "It could be, the likeliest first:"
                  : missing !== null && about.length === 0
                    ? `No track has the number ${missing}.`
                    : `Nothing that Iskelo finds ${about.length > 0 ? "there" : "in this rig"} could sound like that.`}
              </>
            )}
          </Box>
          {unknown !== "" && (
            <Box px="8px" py="4px" color="wax" borderBottom="1px solid" borderColor="rule" role="note">
              Not understood: “{unknown}”.
            </Box>
          )}
          {asking &&
            SYMPTOMS.map((each, index) => (
              <Suspect
                key={each}
                chosen={index === at}
                onTake={() => {
                  setAt(0)
                  onText(each)
                }}
              >
                {each}
              </Suspect>
            ))}
          {found.map((snag, index) => (
            <Suspect
              key={snag.key}
              chosen={index === at}
              onTake={() => {
                onSnag(snag)
                leave()
              }}
            >
              <Mark severity={snag.severity} />
              <chakra.span>
                {snag.title}
                {also(snag).length > 0 && (
                  <chakra.span color="ink2"> · also {listed(also(snag))}</chakra.span>
                )}
              </chakra.span>
            </Suspect>
          ))}
        </Box>
      )}
    </Box>
  )
}

const listed = (names: string[]) =>
  names.length > 3 ? `${names.slice(0, 2).join(", ")} and ${names.length - 2} more` : names.join(", ")

/** A row of what can be chosen; the text field keeps the focus. */
function Suspect(props: { chosen: boolean; onTake: () => void; children: React.ReactNode }) {
  return (
    <Flex
      px="8px"
      minH="28px"
      gap="8px"
      align="center"
      cursor="pointer"
      bg={props.chosen ? "wash" : "sheet"}
      boxShadow={props.chosen ? "inset 3px 0 0 {colors.sea}" : undefined}
      onMouseDown={(event) => {
        event.preventDefault()
        props.onTake()
      }}
    >
      {props.children}
    </Flex>
  )
}
