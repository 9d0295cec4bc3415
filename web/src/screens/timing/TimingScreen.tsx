import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useState } from "react"

import { answer, client, type Interface, type NowAfter as Trial } from "../../api/client"
import { useRig } from "../../api/rig"
import { Button, Figure, Kbd, Select } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { NowAfter } from "../../parts/NowAfter"
import { useOnceSeen } from "../../parts/seen"
import { useSelection } from "../../parts/selection"
import { Ladder, type LadderView } from "./Ladder"

/** Rates, buffers and delays; stepping on the ladder tries a buffer before it is made. */
export function TimingScreen() {
  const { state, edit } = useRig()
  const { snag } = useSelection()
  const [program, setProgram] = useState<string | null>(null)
  const [tried, setTried] = useState<number | null>(null)
  const [climbing, setClimbing] = useState(false)
  const found = useQuery({
    queryKey: ["ladders", state.id, state.revision],
    placeholderData: (before) => before,
    queryFn: () =>
      answer<LadderView[]>(
        client.GET("/api/rigs/{rig_id}/ladders", { params: { path: { rig_id: state.id } } }),
      ),
  })
  const ladders = found.data ?? []
  const at = Math.max(
    0,
    ladders.findIndex((each) => each.program === program),
  )
  const current = ladders[at]
  // The buffer as the rig has it: the ladder may be that of a moment ago.
  const drivers = state.rig.gear.flatMap((gear) => (gear.kind === "interface" ? gear.drivers : []))
  const buffer = drivers.find((each) => each.id === current?.driver)?.buffer_samples ?? null
  const change = current && tried !== null && tried !== buffer
  const edits = change
    ? [{ edit: "set" as const, item: current.driver, values: { buffer_samples: tried } }]
    : null
  const trial = useQuery({
    queryKey: ["trial", state.id, state.revision, edits],
    enabled: edits !== null,
    queryFn: () =>
      answer<Trial>(
        client.POST("/api/rigs/{rig_id}/trial", {
          params: { path: { rig_id: state.id } },
          body: { edits: edits ?? [] },
        }),
      ),
  })
  const { press, takeBack } = useOnceSeen(change ? trial.data : undefined, () => {
    if (!current || tried === null) return
    void edit([{ edit: "set", item: current.driver, values: { buffer_samples: tried } }]).then(
      (kept) => kept && setTried(null),
    )
  })
  const discard = () => {
    setTried(null)
    setClimbing(false)
    takeBack()
  }
  const climb = (step: number) => {
    if (!current) return
    const sizes = current.rungs.map((rung) => rung.buffer_samples)
    const from = sizes.indexOf(tried ?? buffer ?? current.buffer_samples)
    takeBack()
    setTried(sizes[Math.max(0, Math.min(sizes.length - 1, from + step))] ?? null)
  }
  const walk = (step: number) => {
    const next = ladders[Math.max(0, Math.min(ladders.length - 1, at + step))]
    setTried(null)
    if (next) setProgram(next.program)
  }
  useKeys([
    { keys: "e", words: "Step on the ladder", run: () => setClimbing(true) },
    ...(snag !== null
      ? []
      : [
          {
            keys: "ArrowUp",
            words: climbing ? "Smaller buffer" : "Program before",
            run: () => (climbing ? climb(-1) : walk(-1)),
          },
          {
            keys: "ArrowDown",
            words: climbing ? "Larger buffer" : "Next program",
            run: () => (climbing ? climb(1) : walk(1)),
          },
          { keys: "Ctrl+Enter", words: "Make the trial", run: press, inFields: true },
          { keys: "Escape", words: "Discard the trial", run: discard },
        ]),
  ])
  const boxes = state.rig.gear.filter((gear): gear is Interface => gear.kind === "interface")
  return (
    <Flex direction="column" h="100%">
      <Flex h="bar" flex="none" align="center" px="12px" gap="12px">
        {change ? (
          <chakra.span color="pencil" fontWeight="600">
            Trial: buffer {tried}
          </chakra.span>
        ) : (
          <chakra.span color="ink2">Trial: none</chakra.span>
        )}
        <Box flex="1" />
        <Button variant="quiet" onClick={() => setClimbing(true)} disabled={!current}>
          Step on the ladder <Kbd>e</Kbd>
        </Button>
        <Button variant="quiet" onClick={discard} disabled={!change}>
          Discard <Kbd>Esc</Kbd>
        </Button>
      </Flex>
      <Flex flex="none" maxH="40%" minH="120px" borderTop="1px solid" borderColor="edge">
        <Box w="330px" flex="none" borderRight="1px solid" borderColor="rule" overflow="auto">
          <Head>Boxes and their rates</Head>
          {boxes.length === 0 && <Nothing>No interface yet.</Nothing>}
          {boxes.map((box) => (
            <BoxRow key={box.id} box={box} />
          ))}
        </Box>
        <Box flex="1" minW="0" overflow="auto">
          <Programs ladders={ladders} at={current ? at : -1} onChoose={setProgram} />
          {found.data && ladders.length === 0 && <NoDevice />}
        </Box>
      </Flex>
      {current && (
        <Ladder
          ladder={current}
          tried={change ? tried : null}
          climbing={climbing}
          onTry={(size) => {
            setClimbing(true)
            takeBack()
            setTried(size)
          }}
        />
      )}
      {change && (
        <Box flex="none" px="12px" py="8px" borderTop="1px dashed" borderColor="pencil" bg="pencilWash">
          <Flex gap="16px" align="flex-start">
            <Box flex="1" maxW="760px" maxH="180px" overflowY="auto" tabIndex={0}>
              {trial.data ? <NowAfter trial={trial.data} /> : <Box color="pencil">Working out…</Box>}
            </Box>
            <Button variant="ink" onClick={press}>
              Apply{" "}
              <Kbd borderColor="onSea" color="onSea">
                Ctrl Enter
              </Kbd>
            </Button>
          </Flex>
        </Box>
      )}
    </Flex>
  )
}

function Head({ children }: { children: React.ReactNode }) {
  return (
    <chakra.h2
      textStyle="head"
      h="26px"
      lineHeight="26px"
      px="12px"
      position="sticky"
      top="0"
      bg="paper"
      borderBottom="1px solid"
      borderColor="rule"
    >
      {children}
    </chakra.h2>
  )
}

const Nothing = chakra("div", { base: { p: "12px", color: "ink2", textStyle: "cell" } })

function BoxRow({ box }: { box: Interface }) {
  const { edit } = useRig()
  return (
    <Flex
      px="12px"
      minH="32px"
      gap="8px"
      align="center"
      textStyle="cell"
      borderBottom="1px solid"
      borderColor="rule"
      bg="sheet"
    >
      <b>{box.name}</b>
      <chakra.span color="ink2">own clock</chakra.span>
      <Box flex="1" />
      <Select
        aria-label={`Rate of ${box.name}`}
        value={box.rate_hz}
        onChange={(event) =>
          void edit([{ edit: "set", item: box.id, values: { rate_hz: Number(event.target.value) } }])
        }
      >
        {box.rates_hz.map((rate) => (
          <option key={rate} value={rate}>
            {rate / 1000} kHz
          </option>
        ))}
      </Select>
    </Flex>
  )
}

const COLUMNS = ["", "Program", "Rate", "Opens", "Buffer", "In", "Out", "Round trip", "Limit"]

function Programs(props: { ladders: LadderView[]; at: number; onChoose: (program: string) => void }) {
  const cell = { h: "row", px: "8px", borderBottom: "1px solid", borderColor: "rule", whiteSpace: "nowrap" }
  return (
    <chakra.table
      w="100%"
      borderCollapse="separate"
      borderSpacing="0"
      textStyle="cell"
      aria-label="Devices and programs"
    >
      <thead>
        <tr>
          {COLUMNS.map((title, index) => (
            <chakra.th
              key={title}
              textStyle="head"
              h="26px"
              px="8px"
              textAlign={index > 3 ? "right" : "left"}
              position="sticky"
              top="0"
              bg="paper"
              borderBottom="1px solid"
              borderColor="rule"
            >
              {title || <chakra.span srOnly>Mark</chakra.span>}
            </chakra.th>
          ))}
        </tr>
      </thead>
      <tbody>
        {props.ladders.map((ladder, index) => {
          const on = index === props.at
          const mark = ladder.assumed ? "~" : ""
          return (
            <chakra.tr
              key={ladder.program}
              aria-selected={on}
              bg={on ? "wash" : "sheet"}
              cursor="pointer"
              onClick={() => props.onChoose(ladder.program)}
            >
              <chakra.td
                css={cell}
                w="26px"
                style={{ boxShadow: on ? "inset 3px 0 0 var(--isk-colors-sea)" : undefined }}
              >
                {ladder.late_lines > 0 && <Mark severity="trouble" label="late lines" />}
              </chakra.td>
              <chakra.td css={cell}>
                <b>{ladder.name}</b>
              </chakra.td>
              <chakra.td css={cell}>{ladder.rate_hz / 1000} kHz</chakra.td>
              <chakra.td css={cell}>
                {ladder.device}, {ladder.driver_kind}
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                <Figure>{ladder.buffer_samples}</Figure>
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                <Figure>
                  {mark}
                  {ladder.in_ms.toFixed(2)} ms
                </Figure>
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                <Figure>
                  {mark}
                  {ladder.out_ms.toFixed(2)} ms
                </Figure>
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                <Figure>
                  {mark}
                  {ladder.round_trip_ms.toFixed(2)} ms {ladder.round_trip_samples}
                </Figure>
              </chakra.td>
              <chakra.td css={cell} textAlign="right">
                {ladder.limit_ms === null ? "—" : `${ladder.limit_ms} ms`}
              </chakra.td>
            </chakra.tr>
          )
        })}
      </tbody>
    </chakra.table>
  )
}

function NoDevice() {
  const { state } = useRig()
  const { openSnags } = useSelection()
  const bare = state.survey.snags.find((snag) => snag.rule === "program-without-device")
  return (
    <Nothing>
      <b>No program has a device.</b> Give one a device on Gear
      {bare && (
        <>
          , or{" "}
          <Button size="row" variant="link" onClick={() => openSnags(bare.key)}>
            see the remedy
          </Button>
        </>
      )}
      .
    </Nothing>
  )
}
