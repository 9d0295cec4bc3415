import { Box, Flex, chakra } from "@chakra-ui/react"

import type { LineView } from "../../api/client"
import { useRig } from "../../api/rig"
import { Figure } from "../../parts/controls"
import { Mark } from "../../parts/Mark"
import { ROW_PX, type ColumnShape } from "./columns"
import { Cell, classes, Delay } from "./LineCells"
import { spanOf, type Group, type RowItem, type Run } from "./rows"
import { signed } from "../../parts/figures"

/** Many lines that step alike, as one row: first and last number of every station. */
export function RunRow(props: {
  run: Run
  columns: ColumnShape[]
  chosen: boolean
  onChoose: () => void
  onOpen: () => void
}) {
  const { lines } = props.run
  const [first, last] = [lines[0], lines.at(-1)]
  if (!first || !last) return null
  const name = spanOf(first.name, last.name)
  return (
    <chakra.tr
      className={classes(props.chosen && "chosen")}
      aria-selected={props.chosen}
      data-run={name}
      onClick={props.onChoose}
      onDoubleClick={props.onOpen}
    >
      <Cell first>
        <chakra.button
          w="16px"
          h="16px"
          lineHeight="14px"
          border="1px solid"
          borderColor="edge"
          cursor="pointer"
          aria-label={`Unfold ${lines.length} lines`}
          onClick={(event) => {
            event.stopPropagation()
            props.onOpen()
          }}
        >
          +
        </chakra.button>
      </Cell>
      <Cell right>
        <Figure>
          {first.position}–{last.position}
        </Figure>
      </Cell>
      <Cell>
        <b title={name}>{name}</b>
      </Cell>
      {props.columns.slice(3).map((column) => {
        const place = first.stations.findIndex((each) => each.column === column.key)
        const [from, to] = [first.stations[place], last.stations[place]]
        if (from && to)
          return (
            <Cell key={column.key}>
              <Flex gap="4px">
                <Box
                  flex="1"
                  minW="0"
                  overflow="hidden"
                  textOverflow="ellipsis"
                  color={from.trouble ? "wax" : undefined}
                >
                  {from.trouble ? spanOf(from.trouble, to.trouble) : spanOf(from.label, to.label)}
                </Box>
                {!from.trouble && <Figure>{spanOf(from.number, to.number)}</Figure>}
              </Flex>
            </Cell>
          )
        if (column.key === "delay")
          return (
            <Cell key={column.key} right>
              <Delay line={first} />
            </Cell>
          )
        if (column.key === "level")
          return (
            <Cell key={column.key} right>
              <Figure>{signed(first.level_dbfs, 1)}</Figure>
            </Cell>
          )
        return (
          <Cell key={column.key}>
            <chakra.span color={first.headline === "arrives" ? "ink" : "wax"}>
              {first.severity && <Mark severity={first.severity} />} {lines.length}{" "}
              {first.headline === "arrives" ? "arrive" : first.headline}
            </chakra.span>
          </Cell>
        )
      })}
    </chakra.tr>
  )
}

/** A group's roll-up: how many lines, what is wrong among them, how many are proved. Click folds it away. */
export function GroupRow({ group, columns, onTurn }: { group: Group; columns: number; onTurn: () => void }) {
  const { proofs } = useRig().state.survey
  const { lines } = group
  const count = (test: (line: LineView) => boolean) => lines.filter(test).length
  const marks = (["stop", "trouble", "risk"] as const).map((severity) => ({
    severity,
    found: count((line) => line.severity === severity),
  }))
  const proved = count((line) => proofs[line.id] === "proved")
  const stale = count((line) => proofs[line.id] === "stale")
  return (
    <chakra.tr h="row" onClick={onTurn} cursor="pointer">
      <chakra.td
        colSpan={columns}
        bg="paper"
        px="6px"
        fontWeight="600"
        color="ink2"
        borderBottom="1px solid"
        borderColor="rule"
      >
        <Flex align="center" gap="10px">
          <chakra.button
            w="16px"
            h="16px"
            lineHeight="14px"
            border="1px solid"
            borderColor="edge"
            cursor="pointer"
            aria-expanded={group.open}
            aria-label={`${group.open ? "Fold" : "Unfold"} ${group.words}`}
          >
            {group.open ? "−" : "+"}
          </chakra.button>
          <span>
            {group.words} · {lines.length} {lines.length === 1 ? "line" : "lines"}
          </span>
          <chakra.span fontWeight="400">
            {count((line) => line.headline === "arrives")} arrive
            {proved > 0 && `, ${proved} proved`}
            {stale > 0 && `, ${stale} stale`}
          </chakra.span>
          {marks
            .filter((each) => each.found > 0)
            .map((each) => (
              <Flex key={each.severity} gap="3px" align="center">
                <Mark severity={each.severity} /> <Figure>{each.found}</Figure>
              </Flex>
            ))}
        </Flex>
      </chakra.td>
    </chakra.tr>
  )
}

/** One tick per line in trouble over the height of all rows, at the right edge: click to go there. */
export function Gutter({ rows, onGo }: { rows: RowItem[]; onGo: (id: string) => void }) {
  const ticks = rows.flatMap((row, index) =>
    row.kind === "line" && row.line.headline !== "arrives" ? [{ index, line: row.line }] : [],
  )
  return (
    <Box position="absolute" right="0" top="27px" bottom="0" w="10px" zIndex="3" pointerEvents="none">
      {ticks.map(({ index, line }) => (
        <chakra.button
          key={line.id}
          tabIndex={-1}
          aria-hidden
          position="absolute"
          right="1px"
          w="8px"
          h="3px"
          bg="wax"
          cursor="pointer"
          pointerEvents="auto"
          title={`${line.name}: ${line.headline}`}
          style={{ top: `min(${ROW_PX * index + 13}px, ${(100 * (index + 0.5)) / rows.length}%)` }}
          onClick={() => onGo(line.id)}
        />
      ))}
    </Box>
  )
}
