import createClient from "openapi-fetch"

import type { components, paths } from "./schema"

export type Schemas = components["schemas"]
export type State = Schemas["State"]
export type LineView = Schemas["LineView"]
export type Station = Schemas["Station"]
export type SnagView = Schemas["SnagView"]
export type NowAfter = Schemas["NowAfter"]
export type CheckView = Schemas["CheckView"]
export type Edit = Schemas["EditRequest"]["edits"][number]
export type Rig = State["rig"]
export type Gear = Rig["gear"][number]
export type Source = Extract<Gear, { kind: "source" }>
export type Interface = Extract<Gear, { kind: "interface" }>
export type Aggregate = Extract<Gear, { kind: "aggregate" }>
export type Program = Extract<Gear, { kind: "program" }>
export type Outboard = Extract<Gear, { kind: "outboard" }>
export type Destination = Extract<Gear, { kind: "destination" }>
export type PortTuple = LineView["from_ports"][number]

export const client = createClient<paths>({ baseUrl: "" })

/** What the server refused, in its words. */
export class Problem extends Error {
  constructor(
    public status: number,
    public place: string,
    public reason: string,
    public state?: State,
  ) {
    super(place ? `${place}: ${reason}` : reason)
  }

  /** Whether what was asked for may have been done all the same: the answer was lost on its way, or the database. */
  get unsure() {
    return [0, 500, 503, 507].includes(this.status)
  }
}

/**
 * The data of an answer; throws a Problem with the server's own words otherwise. The caller names the type:
 * the client library turns tuples (our ports) into plain arrays on the way.
 */
export async function answer<T>(
  call: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  let result
  try {
    result = await call
  } catch {
    throw new Problem(0, "", "Iskelo does not answer. What was kept is safe; try again when it runs.")
  }
  if (result.error !== undefined || !result.response.ok) {
    const body = (result.error ?? {}) as { place?: string; detail?: string; state?: State }
    throw new Problem(
      result.response.status,
      body.place ?? "",
      body.detail ?? `The server answered ${result.response.status}.`,
      body.state,
    )
  }
  return result.data as T
}
export type MixerView = Schemas["MixerView"]
export type InsertView = Schemas["InsertView"]
export type LadderView = Schemas["Ladder"]
