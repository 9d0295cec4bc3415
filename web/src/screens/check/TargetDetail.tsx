import { Box, chakra } from "@chakra-ui/react"

import { Figure } from "../../parts/controls"
import { Mark, Tick } from "../../parts/Mark"
import { stateMark, type LineRow, type TargetRow } from "./Ledger"
import { signed, fromTo } from "../../parts/figures"

const SIGN: Record<string, string> = { "1": "+", "-1": "−", "0": "?" }
const sign = (polarity: number | null | undefined) =>
  polarity === null || polarity === undefined ? "" : SIGN[String(polarity)]

/** One target: for every copy of every source, predicted against heard. */
/** By how many samples a copy is not where it was predicted. */
function off(copy: { delay_samples: number; predicted_samples: number | null; predicted_spread?: number }) {
  if (copy.predicted_samples === null) return null
  const late = copy.delay_samples - copy.predicted_samples
  return Math.min(0, late) + Math.max(0, late - (copy.predicted_spread ?? 0))
}

export function TargetDetail({ row, lines }: { row: TargetRow; lines: LineRow[] }) {
  return (
    <Box p="12px" textStyle="cell">
      <chakra.h2 fontWeight="600" mb="2px">
        {row.name}
      </chakra.h2>
      <Box mb="8px" color={row.state === "as wanted" || row.state === "unused" ? "ink2" : "wax"}>
        {stateMark(row)} {row.words}
      </Box>
      {row.sounds.map((sound) => (
        <Box key={sound.name} mb="12px">
          {sound.copies.map((copy, index) => (
            <chakra.table
              key={index}
              w="100%"
              borderCollapse="collapse"
              mb="6px"
              aria-label={`${sound.name} at ${row.name}${index ? `, copy ${index + 1}` : ""}`}
            >
              <thead>
                <tr>
                  <Head>
                    {sound.name}
                    {sound.copies.length > 1 && `, copy ${index + 1}`}
                  </Head>
                  <Head right>predicted</Head>
                  <Head right>heard</Head>
                  <Head right>difference</Head>
                </tr>
              </thead>
              <tbody>
                <tr>
                  <td>delay, samples</td>
                  <Value>
                    {copy.predicted_samples === null
                      ? "none"
                      : fromTo(
                          Number(copy.predicted_samples.toFixed(2)),
                          Number((copy.predicted_samples + (copy.predicted_spread ?? 0)).toFixed(2)),
                        )}
                  </Value>
                  <Value>{copy.delay_samples.toFixed(2)}</Value>
                  <Value>{copy.predicted_samples === null ? "" : (off(copy) ?? 0).toFixed(2)}</Value>
                </tr>
                <tr>
                  <td>delay, ms</td>
                  <Value>
                    {copy.predicted_samples === null
                      ? ""
                      : fromTo(
                          (1000 * copy.predicted_samples) / row.rate_hz,
                          (1000 * (copy.predicted_samples + (copy.predicted_spread ?? 0))) / row.rate_hz,
                          2,
                        )}
                  </Value>
                  <Value>{copy.delay_ms.toFixed(2)}</Value>
                  <Value />
                </tr>
                <tr>
                  <td>level, dBFS</td>
                  <Value>{signed(copy.predicted_level_dbfs, 1)}</Value>
                  <Value>{signed(copy.level_dbfs, 1)}</Value>
                  <Value>
                    {copy.predicted_level_dbfs === null
                      ? ""
                      : (copy.level_dbfs - (copy.predicted_level_dbfs ?? 0))
                          .toFixed(1)
                          .replace("-0.0", "0.0")}
                  </Value>
                </tr>
                {index === 0 && (sound.drift_ppm !== 0 || (sound.drift_worst_ppm ?? 0) > 0) && (
                  <tr>
                    <td>clock, ppm</td>
                    <Value>{predictedDrift(sound)}</Value>
                    <Value>{sound.drift_ppm?.toFixed(2)}</Value>
                    <Value>
                      {sound.drift_known_ppm != null &&
                        ((sound.drift_ppm ?? 0) - sound.drift_known_ppm).toFixed(2)}
                    </Value>
                  </tr>
                )}
                {index === 0 && (sound.jumps ?? []).length > 0 && (
                  <tr>
                    <td>slips, samples</td>
                    <Value />
                    <Value>{(sound.jumps ?? []).join(", ")}</Value>
                    <Value />
                  </tr>
                )}
                <tr>
                  <td>polarity</td>
                  <Value>{sign(copy.predicted_polarity)}</Value>
                  <Value>{sign(copy.polarity)}</Value>
                  <Value />
                </tr>
              </tbody>
            </chakra.table>
          ))}
        </Box>
      ))}
      {row.untold && (
        <Box role="note" color="wax" mb="8px">
          {row.untold}.
        </Box>
      )}
      <Box color="ink2" mb="12px">
        Noise <Figure>{signed(row.noise_dbfs, 0)} dBFS</Figure>. Levels are for every source at its nominal
        level.
      </Box>
      <chakra.h3 textStyle="head" mb="4px">
        Lines
      </chakra.h3>
      {lines.map((line) => (
        <Box key={line.line} data-proved={line.name}>
          {line.proved ? <Tick label="as wanted" /> : <Mark severity="trouble" label="not as wanted" />}{" "}
          {line.name}
          {!line.proved && <chakra.span color="wax">: {line.words}</chakra.span>}
        </Box>
      ))}
    </Box>
  )
}

/** A measured clock's drift, or the most that tolerances allow. */
function predictedDrift(sound: TargetRow["sounds"][number]): string {
  return sound.drift_known_ppm == null
    ? `±${(sound.drift_worst_ppm ?? 0).toFixed(0)}`
    : sound.drift_known_ppm.toFixed(2)
}

function Head({ children, right }: { children?: React.ReactNode; right?: boolean }) {
  return (
    <chakra.th
      textStyle="head"
      textAlign={right ? "right" : "left"}
      borderBottom="1px solid"
      borderColor="rule"
    >
      {children}
    </chakra.th>
  )
}

function Value({ children }: { children?: React.ReactNode }) {
  return (
    <chakra.td textAlign="right">
      <Figure>{children}</Figure>
    </chakra.td>
  )
}
