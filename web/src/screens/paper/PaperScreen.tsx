import { Box, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useSearchParams } from "react-router"

import { answer, client, type Schemas } from "../../api/client"
import { useRig } from "../../api/rig"
import { Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { useSelection } from "../../parts/selection"
import { ComparisonPage } from "./ComparisonPage"
import { SetUpList } from "./SetUpList"
import { SheetPage } from "./SheetPage"

type Name = Schemas["SheetName"]

const SET_UP = "set-up"
const COMPARE = "compare"

/** What goes with people into the room: the set-up list, the line list, patch sheets; on screen, printed, as files. */
export function PaperScreen() {
  const { state } = useRig()
  const { snag } = useSelection()
  const [at, go] = useSearchParams()
  const found = useQuery({
    queryKey: ["sheets", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<Name[]>(client.GET("/api/rigs/{rig_id}/sheets", { params: { path: { rig_id: state.id } } })),
  })
  const names = found.data ?? []
  const wanted = at.get("sheet")
  const chosen = names.find((each) => each.key === wanted)
  const shown = wanted === COMPARE ? COMPARE : (chosen?.key ?? SET_UP)
  const open = (key: string) => go(key === SET_UP ? {} : { sheet: key })
  /** The sheet before or behind; a key that is pressed before the names are there waits for them. */
  const step = async (by: number) => {
    const known = found.data ?? (await found.refetch({ cancelRefetch: false })).data ?? []
    const keys = [...known.map((each) => each.key), COMPARE]
    const here = keys.indexOf(wanted !== null && keys.includes(wanted) ? wanted : SET_UP)
    const next = here < 0 ? undefined : keys[here + by]
    if (next) void open(next)
  }
  useKeys(
    snag !== null
      ? []
      : [
          { keys: ".", words: "Next sheet", run: () => void step(1) },
          { keys: ",", words: "Sheet before", run: () => void step(-1) },
        ],
  )
  const list = (
    <Sheets
      names={names}
      chosen={shown}
      onChoose={(key) => {
        void open(key)
      }}
    />
  )
  if (wanted === COMPARE) return <ComparisonPage sheets={list} />
  // A sheet whose gear has gone gives way to the set-up list.
  return chosen && chosen.key !== SET_UP ? (
    <SheetPage key={chosen.key} name={chosen} sheets={list} />
  ) : (
    <SetUpList sheets={list} />
  )
}

function Sheets(props: { names: Name[]; chosen: string; onChoose: (key: string) => void }) {
  const all = [
    ...props.names,
    { key: COMPARE, group: "Side by side", title: "Comparison", about: "rigs, revisions" },
  ]
  const groups = [...new Set(all.map((each) => each.group))]
  return (
    <chakra.nav aria-label="Sheets">
      <Box textStyle="cell" color="ink2" mb="4px">
        <Kbd>.</Kbd> <Kbd>,</Kbd> next sheet, sheet before
      </Box>
      {groups.map((group) => (
        <Box key={group} mb="8px">
          <chakra.h2 textStyle="head">{group}</chakra.h2>
          {all
            .filter((each) => each.group === group)
            .map((each) => (
              <chakra.button
                key={each.key}
                display="flex"
                w="100%"
                justifyContent="space-between"
                gap="8px"
                minH="24px"
                px="4px"
                textStyle="cell"
                textAlign="left"
                cursor="pointer"
                bg={each.key === props.chosen ? "wash" : "transparent"}
                boxShadow={each.key === props.chosen ? "inset 3px 0 0 {colors.sea}" : "none"}
                _hover={{ bg: "sunk" }}
                aria-current={each.key === props.chosen ? "page" : undefined}
                onClick={() => props.onChoose(each.key)}
              >
                <chakra.span overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" title={each.title}>
                  {each.title}
                </chakra.span>
                <chakra.span color="ink2" whiteSpace="nowrap">
                  {each.about}
                </chakra.span>
              </chakra.button>
            ))}
        </Box>
      ))}
    </chakra.nav>
  )
}
