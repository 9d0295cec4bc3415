import { useQuery } from "@tanstack/react-query"

import { answer, client, type LineView, type Schemas } from "../../api/client"
import { Select } from "../../parts/controls"
import type { OnSet } from "./Way"

/** How late a line may be, by what it is wanted for; the published limits, each with its source. */
export function LimitSelect({ line, onSet }: { line: LineView; onSet: OnSet }) {
  const limits = useQuery({
    queryKey: ["limits"],
    staleTime: Infinity,
    queryFn: () => answer<Schemas["Limit"][]>(client.GET("/api/limits")),
  })
  const known = limits.data ?? []
  const now = line.longest_delay_ms ?? null
  const said = known.find((each) => each.longest_ms === now)
  return (
    <Select
      w="76px"
      textOverflow="clip"
      data-shortest="60" // Its figure stands first; where that is from is told on hover.
      aria-label={`Limit of ${line.name}`}
      title={said ? `${said.purpose}: ${said.source}` : "How late it may be"}
      value={now === null ? "" : String(now)}
      onChange={(event) =>
        void onSet({ longest_delay_ms: event.target.value === "" ? null : Number(event.target.value) })
      }
    >
      <option value="">no limit</option>
      {now !== null && !said && <option value={String(now)}>{now} ms</option>}
      {known.map((each) => (
        <option key={each.purpose} value={String(each.longest_ms)}>
          {`${each.longest_ms} ms\u2003\u2003${each.purpose}; ${each.source}`}
        </option>
      ))}
    </Select>
  )
}
