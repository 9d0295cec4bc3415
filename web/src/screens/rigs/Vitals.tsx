import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"
import { Link } from "react-router"

import { useRig } from "../../api/rig"
import { Button, Figure, Input } from "../../parts/controls"
import { Mark, type Severity } from "../../parts/Mark"
import { useSelection } from "../../parts/selection"

/** The rig's name and its vitals, each a link to its cause. */
export function Vitals() {
  const { state, edit, undo, redo } = useRig()
  const { openSnags, chooseLine } = useSelection()
  const [naming, setNaming] = useState(false)
  const { vitals } = state.survey
  const over =
    vitals.slowest_heard_ms !== null &&
    vitals.slowest_heard_limit_ms !== null &&
    (vitals.slowest_heard_ms ?? 0) > (vitals.slowest_heard_limit_ms ?? 0)
  const base = `/rigs/${state.id}`
  return (
    <Flex
      as="header"
      h="bar"
      flex="none"
      align="center"
      px="12px"
      gap={{ base: "8px", lg: "18px" }}
      bg="sheet"
      _print={{ display: "none" }}
      borderBottom="1px solid"
      borderColor="edge"
      whiteSpace="nowrap"
    >
      {/* Of all that stands here the name alone may be cut short. */}
      <Flex align="center" gap="8px" minW="0">
        <chakra.span color="ink2" textStyle="cell">
          <Link to="/">Rigs</Link>
        </chakra.span>
        {naming ? (
          <Input
            autoFocus
            defaultValue={state.rig.name}
            aria-label="Name of the rig"
            onBlur={(event) => {
              setNaming(false)
              if (event.target.value !== state.rig.name)
                void edit([{ edit: "set", item: "rig", values: { name: event.target.value } }])
            }}
            onKeyDown={(event) => {
              if (event.key === "Enter") event.currentTarget.blur()
              if (event.key === "Escape") setNaming(false)
            }}
          />
        ) : (
          <chakra.button
            onClick={() => setNaming(true)}
            fontWeight="600"
            fontSize="15px"
            cursor="text"
            title={`${state.rig.name}: rename the rig`}
            px="4px"
            minW="48px"
            maxW="260px"
            whiteSpace="nowrap"
            overflow="hidden"
            textOverflow="ellipsis"
            _hover={{ bg: "sunk" }}
          >
            {state.rig.name}
          </chakra.button>
        )}
        <Figure color="ink2">rev {state.revision}</Figure>
        <Button
          size="row"
          variant="quiet"
          disabled={!state.undo}
          onClick={undo}
          title={state.undo ?? undefined}
        >
          Undo
        </Button>
        <Button
          size="row"
          variant="quiet"
          disabled={!state.redo}
          onClick={redo}
          title={state.redo ?? undefined}
        >
          Redo
        </Button>
        {(
          [
            ["Export", "export", "The rig alone, as a file"],
            ["Bundle", "bundle", "The rig with its sheets, takes and parts, as one zip"],
          ] as const
        ).map(([words, path, title]) => (
          <chakra.a
            key={path}
            href={`/api/rigs/${state.id}/${path}`}
            title={title}
            download
            textStyle="cell"
            color="ink"
            px="6px"
            h="24px"
            lineHeight="24px"
            _hover={{ bg: "sunk" }}
          >
            {words}
          </chakra.a>
        ))}
      </Flex>
      <Box flex="1 0 0" />
      {vitals.rates_hz.length > 0 && (
        <Link to={`${base}/timing`}>
          <Figure fontWeight="600">{vitals.rates_hz.map((rate) => rate / 1000).join(", ")} kHz</Figure>
          {vitals.clock_masters.length > 0 && (
            <chakra.span
              color={vitals.clock_masters.length > 1 ? "ink" : "ink2"}
              title={vitals.clock_masters.join(", ")}
            >
              {" "}
              {vitals.clock_masters.length > 1
                ? `${vitals.clock_masters.length} clocks`
                : `clock ${vitals.clock_masters[0]}`}
            </chakra.span>
          )}
        </Link>
      )}
      {vitals.slowest_heard_ms !== null && (
        <Link to={`${base}/lines`} onClick={() => chooseLine(vitals.slowest_heard_line ?? null)}>
          slowest heard{" "}
          <Figure fontWeight="600">
            {vitals.slowest_heard_assumed ? "~" : ""}
            {vitals.slowest_heard_ms?.toFixed(2)} ms
          </Figure>{" "}
          {vitals.slowest_heard_limit_ms !== null && (
            <chakra.span color={over ? "wax" : "ink2"}>limit {vitals.slowest_heard_limit_ms}</chakra.span>
          )}
        </Link>
      )}
      <Link to={`${base}/lines`}>
        arrive{" "}
        <Figure fontWeight="600" data-testid="arriving">
          {vitals.arriving}/{vitals.wanted}
        </Figure>
      </Link>
      {(vitals.proved > 0 || vitals.stale > 0) && (
        <Link to={`${base}/check`}>
          proved{" "}
          <Figure fontWeight="600" data-testid="proved-vital">
            {vitals.proved}
          </Figure>
          {vitals.stale > 0 && (
            <>
              {" "}
              · stale <Figure fontWeight="600">{vitals.stale}</Figure>
            </>
          )}
        </Link>
      )}
      <chakra.button
        display="flex"
        alignItems="center"
        gap="10px"
        cursor="pointer"
        px="6px"
        h="28px"
        _hover={{ bg: "sunk" }}
        onClick={() => openSnags("")}
        title="Snags (s)"
      >
        {(["stop", "trouble", "risk", "note"] as Severity[]).map((severity) => (
          <Flex key={severity} align="center" gap="4px">
            <Mark severity={severity} label={`snags, ${severity}:`} />
            <Figure>{vitals.snags[severity]}</Figure>
          </Flex>
        ))}
      </chakra.button>
    </Flex>
  )
}
