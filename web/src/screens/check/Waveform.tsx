import { Box, Flex, chakra } from "@chakra-ui/react"
import { useQuery } from "@tanstack/react-query"
import { useEffect, useRef, useState } from "react"

import { answer, client, type CheckView, type Schemas } from "../../api/client"
import { Button, Kbd } from "../../parts/controls"
import { useKeys } from "../../parts/keys"
import { signed } from "../../parts/figures"

const BINS = 800
const HEIGHT = 88

/** The chosen channel of the take: drawn between two moments, and played. */
export function Waveform({ check, channel, name }: { check: CheckView; channel: number; name: string }) {
  const [span, setSpan] = useState<[number, number]>([0, 1])
  const [playing, setPlaying] = useState(false)
  const player = useRef<HTMLAudioElement>(null)
  const kept = check.files.length > 0
  const wave = useQuery({
    queryKey: ["wave", check.id, channel, span],
    enabled: kept,
    staleTime: Infinity,
    // While a nearer look loads, the old one stays; never the wave of another channel.
    placeholderData: (before, query) => (query?.queryKey[2] === channel ? before : undefined),
    queryFn: () =>
      answer<Schemas["Wave"]>(
        client.GET("/api/checks/{check_id}/wave", {
          params: {
            path: { check_id: check.id },
            query: { channel, bins: BINS, first: span[0], last: span[1] },
          },
        }),
      ),
  })
  const zoom = (factor: number) =>
    setSpan(([first, last]) => {
      const width = Math.min(1, Math.max(0.0005, (last - first) * factor))
      const start = Math.max(0, Math.min(1 - width, first))
      return [start, start + width]
    })
  const [at, setAt] = useState(0)
  const toggle = () => {
    const audio = player.current
    if (!audio) return
    if (audio.paused) void audio.play().catch(() => setPlaying(false))
    else audio.pause()
  }
  // What plays is what is chosen: another channel goes on from the same moment.
  const sounding = useRef(false)
  useEffect(() => {
    const audio = player.current
    if (!audio || !sounding.current) return
    const then = audio.currentTime
    audio.load()
    audio.currentTime = then
    void audio.play().catch(() => setPlaying(false))
  }, [channel])
  useEffect(() => {
    sounding.current = playing
    if (!playing) return
    let frame = 0
    const follow = () => {
      setAt(player.current?.currentTime ?? 0)
      frame = requestAnimationFrame(follow)
    }
    frame = requestAnimationFrame(follow)
    return () => cancelAnimationFrame(frame)
  }, [playing])
  // A page that is left is silent, though browsers play on what is out of sight.
  useEffect(() => {
    const audio = player.current
    return () => audio?.pause()
  }, [check.id])
  useKeys([
    { keys: " ", words: "Play or stop the channel", run: toggle },
    { keys: "+", words: "Nearer", run: () => zoom(0.5) },
    { keys: "-", words: "Farther", run: () => zoom(2) },
  ])
  const data = wave.data
  const top = Math.max(1e-4, ...(data?.highs ?? []), ...(data?.lows ?? []).map((low) => -low))
  const y = (value: number) => HEIGHT / 2 - (value / top) * (HEIGHT / 2 - 3)
  const seconds = data?.seconds ?? 0
  const outline = data
    ? `M${data.highs.map((high, x) => `${x} ${y(high).toFixed(1)}`).join("L")}L${data.lows
        .map((low, x) => `${x} ${y(low).toFixed(1)}`)
        .reverse()
        .join("L")}Z`
    : ""
  return (
    <chakra.section
      h="148px"
      flex="none"
      borderTop="1px solid"
      borderColor="edge"
      bg="sheet"
      px="12px"
      py="6px"
      aria-label="The take"
    >
      <Flex gap="10px" align="center" h="26px">
        <b>{name}</b>
        {kept ? (
          <>
            <Button size="row" variant="link" onClick={toggle}>
              {playing ? "Stop" : "Play"} <Kbd>Space</Kbd>
            </Button>
            <Button size="row" variant="quiet" onClick={() => zoom(0.5)}>
              Nearer <Kbd>+</Kbd>
            </Button>
            <Button size="row" variant="quiet" onClick={() => zoom(2)}>
              Farther <Kbd>-</Kbd>
            </Button>
            <chakra.span color="ink2">
              {data
                ? `drawn and played at an even loudness; peak ${signed(20 * Math.log10(top), 1)} dBFS`
                : "drawing…"}
            </chakra.span>
          </>
        ) : (
          <chakra.span color="ink2">
            The sound of older takes is not kept; run the check again to hear it.
          </chakra.span>
        )}
      </Flex>
      {kept && (
        <>
          <audio
            ref={player}
            src={`/api/checks/${check.id}/listen.wav?channel=${channel}`}
            preload="none"
            onPlay={() => setPlaying(true)}
            onPause={() => setPlaying(false)}
            onEnded={() => {
              setPlaying(false)
              setAt(0)
            }}
          />
          <chakra.svg
            viewBox={`0 0 ${BINS} ${HEIGHT}`}
            preserveAspectRatio="none"
            w="100%"
            h={`${HEIGHT}px`}
            display="block"
            role="img"
            aria-label={`Wave of ${name}`}
          >
            <chakra.line x1="0" x2={BINS} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="rule" />
            <chakra.path d={outline} fill="ink" />
            {(playing || at > 0) && seconds > 0 && (
              <chakra.line
                data-testid="playhead"
                x1={BINS * ((at / seconds - span[0]) / (span[1] - span[0]))}
                x2={BINS * ((at / seconds - span[0]) / (span[1] - span[0]))}
                y1="0"
                y2={HEIGHT}
                stroke="sea"
                strokeWidth="1.5"
              />
            )}
          </chakra.svg>
          <Flex justify="space-between" textStyle="figureSmall" color="ink2">
            <span>{(span[0] * seconds).toFixed(3)} s</span>
            <Box>
              <input
                type="range"
                min={0}
                max={1}
                step={0.001}
                value={span[0]}
                aria-label="Where the drawing begins"
                style={{ width: 300, accentColor: "var(--isk-colors-sea)" }}
                onChange={(event) =>
                  setSpan(([first, last]) => {
                    const start = Math.min(Number(event.target.value), 1 - (last - first))
                    return [start, start + (last - first)]
                  })
                }
              />
            </Box>
            <span>{(span[1] * seconds).toFixed(3)} s</span>
          </Flex>
        </>
      )}
    </chakra.section>
  )
}
