import { chakra } from "@chakra-ui/react"

/** The head of a table that stays while its rows are scrolled. */
export function TableHead({ heads }: { heads: readonly string[] }) {
  return (
    <thead>
      <tr>
        {heads.map((head) => (
          <chakra.th
            key={head}
            textStyle="head"
            textAlign="left"
            px="4px"
            h="24px"
            position="sticky"
            top="0"
            bg="paper"
            zIndex="1"
          >
            {head}
          </chakra.th>
        ))}
      </tr>
    </thead>
  )
}

/** A cell of such a table. */
export const TableCell = chakra("td", {
  base: { px: "4px", h: "28px", borderTop: "1px solid", borderColor: "rule" },
})
