import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"

import { answer, client, type Interface, type MixerView } from "../../api/client"
import { useRig } from "../../api/rig"
import { BottomPanel } from "../../parts/BottomPanel"
import { Commit } from "../../parts/Commit"
import { Button, Figure, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { TableCell, TableHead } from "../../parts/TableHead"
import { MixerFeeds } from "./MixerFeeds"
import { PanField } from "./Sends"
import { useNumber } from "./fields"

type Strip = MixerView["strips"][number]

/** A mixer as a table under the columns: a row a strip, what feeds each channel, what can never be. */
export function MixerPanel({ box, onClose }: { box: Interface; onClose: () => void }) {
  const { state, edit } = useRig()
  const found = useQuery({
    queryKey: ["mixer", state.id, state.revision, box.id],
    placeholderData: (before: MixerView | undefined) => (before?.box === box.id ? before : undefined),
    queryFn: () =>
      answer<MixerView>(
        client.GET("/api/rigs/{rig_id}/mixers/{box_id}", {
          params: { path: { rig_id: state.id, box_id: box.id } },
        }),
      ),
  })
  const view = found.data
  const all = view ? view.returns < view.able : false
  const switchAll = () =>
    view && view.able > 0 && void edit([{ edit: "switch_returns", mixer: box.id, on: all }])
  useKeys([
    { keys: "r", words: "All strips: their returns, or live", run: switchAll },
    { keys: "Escape", words: "Close the mixer", run: onClose },
  ])
  return (
    <BottomPanel
      label={`Mixer ${box.name}`}
      title={box.name}
      h="300px"
      onClose={onClose}
      beside={
        <Box color="ink2" overflow="hidden" textOverflow="ellipsis">
          {view && `${view.strips.length} strips · ${view.mixes.map((mix) => mix.name).join(", ")}`}
        </Box>
      }
      acts={
        view &&
        view.able > 0 && (
          <Button size="row" onClick={switchAll}>
            {all ? "All strips: play returns" : "All strips: live"} <Kbd>r</Kbd>
          </Button>
        )
      }
    >
      <Flex flex="1" minH="0" borderTop="1px solid" borderColor="rule">
        {view ? <Strips view={view} /> : <Box flex="1" />}
        <MixerFeeds key={box.id} box={box} view={view} />
      </Flex>
    </BottomPanel>
  )
}

const HEADS = ["#", "Strip", "From", "Trim", "Pol.", "Insert", "Mute", "Fader", "Pan", "Feeds", "Contains"]

function Strips({ view }: { view: MixerView }) {
  return (
    <Box flex="1" minW="0" overflow="auto" tabIndex={-1}>
      <chakra.table w="100%" textStyle="cell" css={{ borderCollapse: "collapse" }}>
        <TableHead heads={HEADS.map((head) => (head === "Mute" && view.key_moves ? "Key" : head))} />
        <tbody>
          {view.strips.map((strip) => (
            <StripRow key={strip.id} strip={strip} moves={view.key_moves} />
          ))}
          {view.mixes.map((mix) => (
            <MixRow key={mix.id} mix={mix} />
          ))}
        </tbody>
      </chakra.table>
      {view.never.length > 0 && (
        <Box px="8px" py="4px" color="ink2" textStyle="cell">
          Never: {view.never.join("; ")}.
        </Box>
      )}
    </Box>
  )
}

function StripRow({ strip, moves }: { strip: Strip; moves: boolean }) {
  const { edit } = useRig()
  const number = useNumber()
  const set = (values: Record<string, string | number | boolean>) =>
    edit([{ edit: "set", item: strip.id, values }])
  const key = moves ? "key" : "mute"
  return (
    <tr data-strip={strip.name}>
      <TableCell>
        <Figure>{strip.position}</Figure>
      </TableCell>
      <TableCell minW="96px">
        <Commit
          value={strip.name}
          label={`Name of strip ${strip.position}`}
          onKeep={(name) => set({ name })}
        />
      </TableCell>
      <TableCell whiteSpace="nowrap">
        {strip.has_return ? (
          <Button
            size="row"
            variant="link"
            aria-label={`Source of strip ${strip.name}`}
            title={strip.plays_back ? "Switch to what it takes live" : "Switch to its return"}
            onClick={() => void set({ plays_back: !strip.plays_back })}
          >
            {strip.takes}
          </Button>
        ) : (
          strip.takes
        )}
        {strip.returns && (
          <Box color="ink2" fontSize="12px">
            {strip.plays_back ? strip.returns : `return: ${strip.returns}`}
          </Box>
        )}
      </TableCell>
      <TableCell>
        <Commit
          value={strip.trim_db}
          label={`Trim of strip ${strip.name}`}
          width="48px"
          figure
          onKeep={(text) => number("Trim", text, (trim_db) => set({ trim_db }))}
        />
      </TableCell>
      <TableCell>
        <input
          type="checkbox"
          aria-label={`Polarity of strip ${strip.name} reversed`}
          title="Polarity reversed"
          checked={strip.inverted}
          onChange={(event) => void set({ inverted: event.target.checked })}
        />
      </TableCell>
      <TableCell title={strip.insert_trip || undefined}>
        <Commit
          value={strip.insert && `${strip.insert}${strip.insert_on ? "" : " bypassed"}`}
          label={`Insert of strip ${strip.name}`}
          width="104px"
          placeholder="none"
          onKeep={(text) => edit([{ edit: "type_insert", strip: strip.id, text }])}
        />
      </TableCell>
      <TableCell>
        <input
          type="checkbox"
          aria-label={`Strip ${strip.name} ${key}`}
          checked={strip.muted}
          onChange={(event) => void set({ muted: event.target.checked })}
        />
      </TableCell>
      <TableCell>
        <Commit
          value={strip.gain_db}
          label={`Fader of strip ${strip.name}`}
          width="48px"
          figure
          onKeep={(text) => number("Fader", text, (gain_db) => set({ gain_db }))}
        />
      </TableCell>
      <TableCell>
        <PanField
          label={`Pan of strip ${strip.name}`}
          value={strip.pan}
          onKeep={(pan) => set({ pan: pan ?? 0 })}
        />
      </TableCell>
      <TableCell minW="190px" w="40%">
        <Commit
          value={strip.feeds}
          label={`Feeds of strip ${strip.name}`}
          placeholder="main, aux 1 -6 pre, usb 3 raw"
          onKeep={(text) => edit([{ edit: "type_strip_feeds", strip: strip.id, text }])}
        />
      </TableCell>
      <TableCell color="ink2" whiteSpace="nowrap">
        {strip.contains.join(", ")}
      </TableCell>
    </tr>
  )
}

function MixRow({ mix }: { mix: MixerView["mixes"][number] }) {
  const { edit } = useRig()
  const number = useNumber()
  const set = (values: Record<string, string | number | boolean>) =>
    edit([{ edit: "set", item: mix.id, values }])
  return (
    <chakra.tr data-mix={mix.name} bg="paper">
      <TableCell />
      <TableCell>
        <Commit value={mix.name} label={`Name of mix ${mix.name}`} onKeep={(name) => set({ name })} />
      </TableCell>
      <TableCell colSpan={4} color="ink2">
        {mix.width === 2 ? "stereo mix" : "mix"}
      </TableCell>
      <TableCell>
        <input
          type="checkbox"
          aria-label={`Mix ${mix.name} mute`}
          checked={mix.muted}
          onChange={(event) => void set({ muted: event.target.checked })}
        />
      </TableCell>
      <TableCell>
        <Commit
          value={mix.gain_db}
          label={`Fader of mix ${mix.name}`}
          width="48px"
          figure
          onKeep={(text) => number("Fader", text, (gain_db) => set({ gain_db }))}
        />
      </TableCell>
      <TableCell />
      <TableCell>{mix.feeds}</TableCell>
      <TableCell color="ink2" whiteSpace="nowrap" maxW="180px" overflow="hidden" textOverflow="ellipsis">
        {mix.contains.join(", ")}
      </TableCell>
    </chakra.tr>
  )
}
