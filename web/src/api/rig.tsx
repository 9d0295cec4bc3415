import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query"
import {
  createContext,
  useCallback,
  useContext,
  useEffect,
  useMemo,
  useRef,
  useState,
  type ReactNode,
} from "react"

import { answer, client, Problem, type Edit, type Schemas, type State } from "./client"

interface CheckNews {
  id: string
  state: string
  share: number
  stage: string
}

interface RigHandle {
  state: State
  /** Make edits; resolves to true when they are kept. */
  edit: (edits: Edit[]) => Promise<boolean>
  /** Add gear typed as a phrase; resolves to true when it is kept. */
  addGear: (text: string) => Promise<boolean>
  /** Bring a part of the library in; resolves to true when it is kept. */
  bring: (wanted: Schemas["BringRequest"]) => Promise<boolean>
  /** Go to any revision. */
  jump: (to: number) => Promise<boolean>
  undo: () => void
  redo: () => void
  message: string | null
  say: (message: string | null) => void
  /** What was said just now, to be told beside the field that it is about, and nowhere else. */
  take: () => string | null
  check: CheckNews | null
  connected: boolean
}

const RigContext = createContext<RigHandle | null>(null)

export function useRig(): RigHandle {
  const handle = useContext(RigContext)
  if (!handle) throw new Error("useRig outside a rig")
  return handle
}

export const rigKey = (id: string) => ["rig", id] as const

/** Holds one rig: its state, edits one after the other, and news from other windows. */
export function RigProvider({
  id,
  children,
}: {
  id: string
  children: (problem: Error | null) => ReactNode
}) {
  const cache = useQueryClient()
  const [message, setMessage] = useState<string | null>(null)
  const said = useRef<string | null>(null)
  const say = useCallback((words: string | null) => {
    said.current = words
    setMessage(words)
  }, [])
  const take = useCallback(() => {
    const words = said.current
    say(null)
    return words
  }, [say])
  const query = useQuery({
    queryKey: rigKey(id),
    queryFn: () => answer<State>(client.GET("/api/rigs/{rig_id}", { params: { path: { rig_id: id } } })),
    retry: (count, error) => !(error instanceof Problem && error.status === 404) && count < 3,
  })
  const { check, connected } = useNews(id)
  const queue = useRef<Promise<unknown>>(Promise.resolve())

  const send = useMutation({
    mutationFn: async (call: (state: State) => Promise<State>) => {
      const state = cache.getQueryData<State>(rigKey(id))
      if (!state) throw new Problem(0, "", "The rig is not loaded yet.")
      try {
        return { state: await call(state), words: null }
      } catch (error) {
        if (!(error instanceof Problem) || !error.unsure) throw error
        say(error.status === 0 ? `Iskelo does not answer. ${MAYBE}` : error.message)
        const now = await whenItAnswers(id)
        if (now.revision === state.revision) {
          cache.setQueryData(rigKey(id), now)
          throw new Problem(503, "", "Iskelo answers again. That change was not made; make it again.")
        }
        const words = `Iskelo answers again. The rig is at revision ${now.revision} now: ${now.words}.`
        return { state: now, words }
      }
    },
    onSuccess: ({ state, words }) => {
      cache.setQueryData(rigKey(id), state)
      say(words)
    },
    onError: (error) => {
      if (error instanceof Problem && error.state) cache.setQueryData(rigKey(id), error.state)
      say(error.message)
    },
  })
  const { mutateAsync } = send

  const inTurn = useCallback(
    (call: (state: State) => Promise<State>) => {
      const mine = queue.current.then(() =>
        mutateAsync(call).then(
          () => true,
          () => false,
        ),
      )
      queue.current = mine
      return mine
    },
    [mutateAsync],
  )
  const path = useMemo(() => ({ path: { rig_id: id } }), [id])
  const edit = useCallback(
    (edits: Edit[]) =>
      inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/edits", {
            params: path,
            body: { revision: state.revision, edits },
          }),
        ),
      ),
    [inTurn, path],
  )
  const addGear = useCallback(
    (text: string) =>
      inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/phrase", {
            params: path,
            body: { revision: state.revision, text },
          }),
        ),
      ),
    [inTurn, path],
  )
  const bring = useCallback(
    (wanted: Schemas["BringRequest"]) =>
      inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/bring-in", {
            params: path,
            body: { revision: state.revision, wanted },
          }),
        ),
      ),
    [inTurn, path],
  )
  const jump = useCallback(
    (to: number) =>
      inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/jump", { params: path, body: { revision: state.revision, to } }),
        ),
      ),
    [inTurn, path],
  )
  const undo = useCallback(
    () =>
      void inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/undo", { params: path, body: { revision: state.revision } }),
        ),
      ),
    [inTurn, path],
  )
  const redo = useCallback(
    () =>
      void inTurn((state) =>
        answer<State>(
          client.POST("/api/rigs/{rig_id}/redo", { params: path, body: { revision: state.revision } }),
        ),
      ),
    [inTurn, path],
  )

  if (!query.data) return <>{query.error ? children(query.error) : null}</>
  return (
    <RigContext
      value={{
        state: query.data,
        edit,
        addGear,
        bring,
        jump,
        undo,
        redo,
        message,
        say,
        take,
        check,
        connected,
      }}
    >
      {children(null)}
    </RigContext>
  )
}

const MAYBE =
  "What was kept is safe. This change may have been made or not: the rig is read again as soon as that can be done."

/** The rig as it is, asked for until there is an answer. */
async function whenItAnswers(id: string): Promise<State> {
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, 1000))
    try {
      return await answer<State>(client.GET("/api/rigs/{rig_id}", { params: { path: { rig_id: id } } }))
    } catch (error) {
      if (!(error instanceof Problem) || !error.unsure) throw error
    }
  }
}

/** Listens for the rig's revision and its newest check; fetches the state when another window changed it. */
function useNews(id: string) {
  const cache = useQueryClient()
  const [check, setCheck] = useState<CheckNews | null>(null)
  const [connected, setConnected] = useState(true)
  const newest = useRef<number | null>(null)
  const ticks = useRef<string | undefined>(undefined)
  useEffect(() => {
    let socket: WebSocket | undefined
    let closed = false
    let timer: ReturnType<typeof setTimeout> | undefined
    // While an edit of this page is on its way news wait: its answer may be what they tell of.
    const catchUp = () => {
      const known = cache.getQueryData<State>(rigKey(id))
      const behind = newest.current !== null && known && known.revision !== newest.current
      if (behind && !cache.isMutating()) void cache.invalidateQueries({ queryKey: rigKey(id) })
    }
    const stop = cache.getMutationCache().subscribe((event) => {
      if (event.type === "updated" && event.action.type !== "pending") setTimeout(catchUp)
    })
    const open = () => {
      const scheme = location.protocol === "https:" ? "wss" : "ws"
      socket = new WebSocket(`${scheme}://${location.host}/api/rigs/${id}/events`)
      socket.onmessage = (event) => {
        const news = JSON.parse(event.data as string) as {
          revision?: number
          check?: CheckNews | null
          ticks?: string
          database?: string
        }
        setConnected(!news.database)
        if (news.revision === undefined) return
        setCheck(news.check ?? null)
        // Somebody else may have ticked steps of the set-up list off.
        if (ticks.current !== undefined && ticks.current !== news.ticks)
          void cache.invalidateQueries({ queryKey: ["set-up", id] })
        ticks.current = news.ticks
        newest.current = news.revision
        catchUp()
      }
      socket.onclose = (event) => {
        if (closed) return
        // The server ends in good order when the rig is gone: ask again, and be told so.
        if (event.code === 1000) return void cache.resetQueries({ queryKey: rigKey(id) })
        setConnected(false)
        timer = setTimeout(open, 1000)
      }
      socket.onopen = () => setConnected(true)
    }
    open()
    return () => {
      closed = true
      stop()
      clearTimeout(timer)
      socket?.close()
    }
  }, [cache, id])
  return { check, connected }
}
