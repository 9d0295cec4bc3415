import "@fontsource/ibm-plex-sans-condensed/latin-400.css"
import "@fontsource/ibm-plex-sans-condensed/latin-600.css"
import "@fontsource/ibm-plex-sans-condensed/latin-ext-400.css"
import "@fontsource/ibm-plex-sans-condensed/latin-ext-600.css"
import "@fontsource/spline-sans-mono/latin-400.css"
import "@fontsource/spline-sans-mono/latin-600.css"

import "./theme/print.css"
import { ChakraProvider } from "@chakra-ui/react"
import { QueryClient, QueryClientProvider } from "@tanstack/react-query"
import { StrictMode } from "react"
import { createRoot } from "react-dom/client"
import { createBrowserRouter } from "react-router"
import { RouterProvider } from "react-router/dom"

import { KeysProvider } from "./parts/keys"
import { CheckScreen } from "./screens/check/CheckScreen"
import { GearScreen } from "./screens/gear/GearScreen"
import { LinesScreen } from "./screens/lines/LinesScreen"
import { PaperScreen } from "./screens/paper/PaperScreen"
import { TimingScreen } from "./screens/timing/TimingScreen"
import { RigFrame } from "./screens/rigs/RigFrame"
import { RigsScreen } from "./screens/rigs/RigsScreen"
import { WalkScreen } from "./screens/walk/WalkScreen"
import { startTheme } from "./theme/night"
import { system } from "./theme/system"

startTheme()

const cache = new QueryClient({
  defaultOptions: { queries: { staleTime: 10_000, refetchOnWindowFocus: true } },
})

const router = createBrowserRouter([
  { path: "/", element: <RigsScreen /> },
  {
    path: "/rigs/:rigId",
    element: <RigFrame />,
    children: [
      { index: true, element: <LinesScreen /> },
      { path: "lines", element: <LinesScreen /> },
      { path: "gear", element: <GearScreen /> },
      { path: "timing", element: <TimingScreen /> },
      { path: "check", element: <CheckScreen /> },
      { path: "paper", element: <PaperScreen /> },
    ],
  },
  { path: "/walk/:rigId", element: <WalkScreen /> },
  { path: "*", element: <RigsScreen /> },
])

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <ChakraProvider value={system}>
      <QueryClientProvider client={cache}>
        <KeysProvider>
          <RouterProvider router={router} />
        </KeysProvider>
      </QueryClientProvider>
    </ChakraProvider>
  </StrictMode>,
)
