import { Box } from "@chakra-ui/react"

import type { Interface } from "../../api/client"
import { useRig } from "../../api/rig"
import { MUTE_KEYS, PAN_LAWS, SOLOS } from "../../api/rules"
import { Kbd, Select } from "../../parts/controls"
import { Check, NumberRow, Row, Section, Some } from "./fields"

/** What kind of mixer a box is: its pan law, what its mute key does, where solo listens, what its inside carries. */
export function MixerFields({ box, mixer }: { box: Interface; mixer: NonNullable<Interface["mixer"]> }) {
  const { edit } = useRig()
  const set = (values: Record<string, string | number | boolean | null>) =>
    edit([{ edit: "set_mixer", mixer: box.id, values }])
  const choices = [
    ["pan_law", "Pan law: mono in the centre at", PAN_LAWS],
    ["mute_key", "The mute key", MUTE_KEYS],
    ["solo", "Solo", SOLOS],
  ] as const
  return (
    <Section title="Feeds" note={mixer.analogue ? "analogue mixer" : "digital mixer"}>
      <Box color="ink2" mb="4px">
        Strips and feeds <Kbd>k</Kbd>
      </Box>
      {choices.map(([field, words, offered]) => (
        <Row key={field} words={words}>
          <Select
            aria-label={words}
            value={mixer[field]}
            onChange={(event) => void set({ [field]: event.target.value })}
          >
            {offered.map((each) => (
              <option key={each} value={each}>
                {each.replace("-", "−")}
              </option>
            ))}
          </Select>
        </Row>
      ))}
      <Check
        words="Mute silences what is before the fader"
        on={mixer.mute_kills_pre}
        onChange={(mute_kills_pre) => void set({ mute_kills_pre })}
      />
      {mixer.analogue ? (
        <Some
          words="Highest level inside (dBu)"
          value={mixer.highest_dbu}
          none="any"
          onKeep={(highest_dbu) => set({ highest_dbu })}
        />
      ) : (
        <>
          <Check
            words="Raw channels pass the mixer's core"
            on={mixer.raw_passes_core}
            onChange={(raw_passes_core) => void set({ raw_passes_core })}
          />
          <NumberRow
            words="A mix taken again"
            unit="samples"
            value={mixer.again_samples}
            onKeep={(again_samples) => set({ again_samples })}
          />
          <Some
            words="Headroom inside (dB)"
            value={mixer.headroom_db}
            none="any"
            onKeep={(headroom_db) => set({ headroom_db })}
          />
        </>
      )}
    </Section>
  )
}
