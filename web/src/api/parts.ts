import { useQuery } from "@tanstack/react-query"

import { answer, client, type Schemas } from "./client"

export type Part = Schemas["PartEntry"]
export const PARTS = ["parts"]

/** Every part that was kept, the one used last first. */
export function useParts(): Part[] {
  const found = useQuery({
    queryKey: PARTS,
    queryFn: () => answer<Part[]>(client.GET("/api/parts", {})),
  })
  return found.data ?? []
}
