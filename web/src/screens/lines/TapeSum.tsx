import { Box, Flex, chakra } from "@chakra-ui/react"

import type { Schemas } from "../../api/client"
import { Figure } from "../../parts/controls"
import { signed, fromTo } from "../../parts/figures"

type Arrival = Schemas["ArrivalView"]

/** Each copy's delay term by term with where the figure is from, and its level port by port. */
export function Sum({ arrivals }: { arrivals: Arrival[] }) {
  return (
    <Flex gap="48px" mt="4px" align="flex-start">
      {arrivals.map((arrival) => (
        <Flex key={`${arrival.way}${arrival.delay_samples}`} gap="24px" align="flex-start">
          <Box>
            <Box textStyle="head">{arrival.way}</Box>
            <chakra.table textStyle="cell" aria-label={`Adds up, ${arrival.way}`}>
              <tbody>
                {arrival.terms.map((term, index) => (
                  <tr key={index}>
                    <chakra.td pr="16px">
                      {term.kind === "buffer" ? `wait: ${term.label}` : term.label}, {term.gear}
                    </chakra.td>
                    <chakra.td pr="16px" textAlign="right">
                      <Figure>
                        {term.origin === "assumed" ? "~" : ""}
                        {fromTo(term.samples, term.samples + (term.spread ?? 0))}
                      </Figure>
                    </chakra.td>
                    <chakra.td pr="16px" textAlign="right">
                      <Figure>
                        {fromTo(
                          (1000 * term.samples) / term.rate_hz,
                          (1000 * (term.samples + (term.spread ?? 0))) / term.rate_hz,
                          3,
                        )}{" "}
                        ms
                      </Figure>
                    </chakra.td>
                    <chakra.td color="ink2">{term.origin}</chakra.td>
                  </tr>
                ))}
                <chakra.tr fontWeight="600" borderTop="1px solid" borderColor="ink">
                  <td>together</td>
                  <chakra.td pr="16px" textAlign="right">
                    <Figure>
                      {arrival.assumed ? "~" : ""}
                      {fromTo(arrival.delay_samples, arrival.most_samples)}
                    </Figure>
                  </chakra.td>
                  <chakra.td pr="16px" textAlign="right">
                    <Figure>{fromTo(arrival.delay_ms, arrival.most_ms, 3)} ms</Figure>
                  </chakra.td>
                  <td />
                </chakra.tr>
              </tbody>
            </chakra.table>
          </Box>
          <Box>
            <Box textStyle="head">Level on the way</Box>
            <chakra.table textStyle="cell" aria-label={`Levels, ${arrival.way}`}>
              <tbody>
                {arrival.hops.map((hop) => (
                  <chakra.tr key={hop.said + hop.unit} color={hop.over_db > 0 ? "wax" : "ink"}>
                    <chakra.td pr="16px">{hop.said}</chakra.td>
                    <chakra.td textAlign="right">
                      <Figure>
                        {hop.level === null ? (
                          "no level"
                        ) : (
                          <>
                            {arrival.level_assumed ? "~" : ""}
                            {signed(hop.level, 1)} {hop.unit}
                          </>
                        )}
                      </Figure>
                    </chakra.td>
                    <td>{sayHop(hop)}</td>
                  </chakra.tr>
                ))}
              </tbody>
            </chakra.table>
          </Box>
        </Flex>
      ))}
    </Flex>
  )
}

/** What is to be said of a level: what of it goes round, that it grows, that it clips. */
function sayHop({ level, raised_db, over_db }: Arrival["hops"][number]): string {
  if (level === null) return " what goes round grows"
  const raised = raised_db
    ? ` ${signed(Math.abs(raised_db), 1)} dB ${raised_db > 0 ? "more" : "less"} by what goes round`
    : ""
  const clips = over_db > 0 ? ` clips by ${over_db.toFixed(1)} dB` : ""
  return [raised, clips].filter(Boolean).join(",")
}
