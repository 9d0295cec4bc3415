import { Box, Flex, chakra } from "@chakra-ui/react"
import { lazy, Suspense, useEffect, useMemo, useState } from "react"
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams } from "react-router"

import { RigProvider, useRig } from "../../api/rig"
import { Button, Kbd } from "../../parts/controls"
import { useAllKeys, useKeys } from "../../parts/keys"
import { Mark } from "../../parts/Mark"
import { ProposalProvider } from "../../parts/Proposal"
import { SelectionContext, useSelection } from "../../parts/selection"
import { LETTERS, useSetting } from "../../parts/settings"
import { useTheme, type Theme } from "../../theme/night"
import { DRAWER_PX } from "../../theme/system"
import { HistoryDrawer } from "../history/HistoryDrawer"
import { SnagDrawer } from "../snags/SnagDrawer"
import { Vitals } from "./Vitals"

/** Brought in when somebody asks for it. */
const GuidePage = lazy(() => import("../guide/GuidePage"))

/** The frame round every screen of a rig: vitals above, places at the left, the last edit below. */
export function RigFrame() {
  const { rigId = "" } = useParams()
  const [line, chooseLine] = useState<string | null>(null)
  const [snag, openSnags] = useState<string | null>(null)
  const selection = useMemo(() => ({ line, chooseLine, snag, openSnags }), [line, snag])
  return (
    <RigProvider id={rigId} key={rigId}>
      {(problem) =>
        problem ? (
          <Box p="24px">
            <Box role="alert" color="wax" mb="8px">
              {problem.message}
            </Box>
            <chakra.span color="sea" fontWeight="600">
              <Link to="/">All rigs</Link>
            </chakra.span>
          </Box>
        ) : (
          <SelectionContext value={selection}>
            <Frame />
          </SelectionContext>
        )
      }
    </RigProvider>
  )
}

const PLACES = [
  { key: "1", to: "gear", words: "Gear" },
  { key: "2", to: "lines", words: "Lines" },
  { key: "3", to: "timing", words: "Timing" },
  { key: "4", to: "check", words: "Line check" },
  { key: "5", to: "paper", words: "Paper" },
]

function Frame() {
  const { state, undo, redo, jump, connected, say } = useRig()
  const { snag, openSnags, chooseLine } = useSelection()
  const [listing, setListing] = useState(false)
  const [history, setHistory] = useState(false)
  const [theme, turnTheme] = useTheme()
  const go = useNavigate()
  const { pathname } = useLocation()
  const base = `/rigs/${state.id}`
  // What was said is about the place where it was said.
  useEffect(() => say(null), [pathname, say])
  /** From any other place, ] and [ lead to the first line in trouble. */
  const toTrouble = () => {
    const first = state.survey.lines.find((line) => line.headline !== "arrives")
    if (!first) return
    chooseLine(first.id)
    void go(`${base}/lines`, { flushSync: true })
  }
  useKeys([
    ...(pathname.endsWith("/lines")
      ? []
      : [
          { keys: "]", words: "Next trouble", run: toTrouble },
          { keys: "[", words: "Previous trouble", run: toTrouble },
        ]),
    ...PLACES.map((place) => ({
      keys: place.key,
      words: place.words,
      run: () => void go(`${base}/${place.to}`, { flushSync: true }),
    })),
    { keys: "s", words: "Snags", run: () => openSnags(snag === null ? "" : null) },
    { keys: "u", words: "History", run: () => setHistory((on) => !on) },
    { keys: "t", words: "Light or night", run: turnTheme },
    { keys: "?", words: "Guide, and all keys", run: () => setListing((on) => !on) },
    { keys: "Ctrl+z", words: "Undo", run: undo },
    { keys: "Ctrl+Shift+z", words: "Redo", run: redo },
  ])
  return (
    <Flex direction="column" h="100vh" minW="640px" _print={{ h: "auto", minW: 0, display: "block" }}>
      <Vitals />
      <Flex flex="1" minH="0" _print={{ display: "block" }}>
        <chakra.nav
          w="rail"
          flex="none"
          borderRight="1px solid"
          borderColor="rule"
          aria-label="Places"
          bg="paper"
          _print={{ display: "none" }}
        >
          {PLACES.map((place) => (
            <NavLink key={place.to} to={`${base}/${place.to}`} style={{ textDecoration: "none" }}>
              {({ isActive }) => (
                <Box
                  h="52px"
                  pt="8px"
                  textAlign="center"
                  fontSize="12px"
                  lineHeight="14px"
                  bg={isActive ? "wash" : "transparent"}
                  boxShadow={isActive ? "inset 3px 0 0 {colors.sea}" : "none"}
                  color={isActive ? "ink" : "ink2"}
                  fontWeight={isActive ? "600" : "400"}
                  _hover={{ bg: isActive ? "wash" : "sunk" }}
                >
                  <Kbd>{place.key}</Kbd>
                  <br />
                  {place.words}
                </Box>
              )}
            </NavLink>
          ))}
        </chakra.nav>
        <Box flex="1" minW="0" position="relative">
          {!connected && (
            <Box role="status" bg="waxWash" color="wax" px="12px" py="4px" textStyle="cell">
              Iskelo or its database does not answer. What was kept is safe; trying again…
            </Box>
          )}
          {state.wrong !== null && (
            <Flex
              role="alert"
              bg="waxWash"
              color="wax"
              px="12px"
              py="4px"
              gap="12px"
              align="center"
              textStyle="cell"
            >
              <span>
                {state.wrong} You see revision {state.shown}; nothing can be changed until you go back to it.
              </span>
              <Button size="row" onClick={() => void jump(state.shown)}>
                Go back to revision {state.shown}
              </Button>
            </Flex>
          )}
          <ProposalProvider>
            <Box h="100%" pr={snag !== null || history ? `${DRAWER_PX}px` : 0} _print={{ pr: 0 }}>
              <Outlet />
            </Box>
            {snag !== null && <SnagDrawer />}
            {history && <HistoryDrawer onClose={() => setHistory(false)} />}
            {listing && <Help place={pathname.split("/")[3] ?? "lines"} onClose={() => setListing(false)} />}
          </ProposalProvider>
        </Box>
      </Flex>
      <Footer
        theme={theme}
        onTheme={turnTheme}
        onHistory={() => setHistory((on) => !on)}
        onKeys={() => setListing((on) => !on)}
      />
    </Flex>
  )
}

interface FooterProps {
  theme: Theme
  onTheme: () => void
  onHistory: () => void
  onKeys: () => void
}

function Footer({ theme, onTheme, onHistory, onKeys }: FooterProps) {
  const { state, message, say } = useRig()
  const { openSnags } = useSelection()
  return (
    <Flex
      as="footer"
      h="24px"
      flex="none"
      align="center"
      px="12px"
      gap="12px"
      borderTop="1px solid"
      borderColor="rule"
      fontSize="12px"
      color="ink2"
      bg="paper"
      position="relative"
      _print={{ display: "none" }}
    >
      <chakra.button flex="none" cursor="pointer" onClick={() => openSnags("")} _hover={{ color: "ink" }}>
        <Kbd>s</Kbd> snags
      </chakra.button>
      <chakra.button flex="none" cursor="pointer" onClick={onKeys} _hover={{ color: "ink" }}>
        <Kbd>?</Kbd> guide, keys
      </chakra.button>
      <chakra.button flex="none" cursor="pointer" onClick={onHistory} _hover={{ color: "ink" }}>
        <Kbd>u</Kbd> history
      </chakra.button>
      <chakra.button flex="none" cursor="pointer" onClick={onTheme} _hover={{ color: "ink" }}>
        <Kbd>t</Kbd> {theme === "night" ? "light" : "night"}
      </chakra.button>
      {message && (
        <Flex
          role="alert"
          position="absolute"
          bottom="28px"
          left="68px"
          maxW="760px"
          bg="waxWash"
          color="wax"
          border="1px solid"
          borderColor="wax"
          px="8px"
          py="4px"
          gap="8px"
          align="center"
          textStyle="cell"
          zIndex="20"
        >
          <Mark severity="trouble" />
          <span>{message}</span>
          <Button size="row" variant="quiet" onClick={() => say(null)}>
            Close
          </Button>
        </Flex>
      )}
      <Box flex="1" />
      <chakra.span overflow="hidden" textOverflow="ellipsis" whiteSpace="nowrap" data-testid="last-edit">
        Rev {state.revision}: {state.words}
      </chakra.span>
      {state.undo && (
        <chakra.span whiteSpace="nowrap">
          Undo <Kbd>Ctrl Z</Kbd>
        </chakra.span>
      )}
    </Flex>
  )
}

/** The guide's page of the place where one is, and every key that works there. */
function Help({ place, onClose }: { place: string; onClose: () => void }) {
  const all = useAllKeys()
  const [letters, setLetters] = useSetting<"on" | "off">(LETTERS, "on")
  const [rows] = useState(() => {
    const seen = new Map<string, string>()
    for (const binding of all()) if (!seen.has(binding.keys)) seen.set(binding.keys, binding.words)
    return [...seen]
  })
  useKeys([{ keys: "Escape", words: "Close", run: onClose, inFields: true }])
  return (
    <Box
      role="dialog"
      aria-label="Guide and keys"
      position="absolute"
      right="12px"
      bottom="12px"
      top="12px"
      w="860px"
      maxW="calc(100% - 24px)"
      bg="sheet"
      border="1px solid"
      borderColor="edge"
      zIndex="30"
      display="flex"
    >
      <Box
        flex="1"
        minW="0"
        overflowY="auto"
        p="12px"
        tabIndex={0}
        borderRight="1px solid"
        borderColor="rule"
      >
        <Suspense fallback={null}>
          <GuidePage place={place} />
        </Suspense>
      </Box>
      <Box w="310px" flex="none" overflowY="auto" p="12px" tabIndex={0}>
        <Flex justify="space-between" mb="8px">
          <chakra.h2 textStyle="head">Keys that work here</chakra.h2>
          <Button size="row" variant="quiet" onClick={onClose}>
            Close
          </Button>
        </Flex>
        <chakra.label display="flex" gap="8px" alignItems="center" mb="8px" textStyle="cell">
          <input
            type="checkbox"
            checked={letters === "on"}
            onChange={(event) => setLetters(event.target.checked ? "on" : "off")}
          />
          Single letters are commands
        </chakra.label>
        {rows.map(([keys, words]) => (
          <Flex key={keys} gap="12px" minH="22px" align="baseline" textStyle="cell">
            <Box w="96px" flex="none">
              <Kbd>
                {keys
                  .replace(/^ $/, "Space")
                  .replace("Shift+z", "Shift+Z")
                  .replace("Ctrl+z", "Ctrl+Z")
                  .replace("ArrowDown", "↓")
                  .replace("ArrowUp", "↑")}
              </Kbd>
            </Box>
            <span>{words}</span>
          </Flex>
        ))}
      </Box>
    </Box>
  )
}
