import { Box, Flex, chakra } from "@chakra-ui/react"
import { useState } from "react"
import Markdown from "react-markdown"

import { Kbd, Select } from "../../parts/controls"
import { PAGES, pictureOf } from "./pages"

/** A page of the guide: that of the place where one is, and every other one to choose. */
export default function GuidePage({ place }: { place: string }) {
  const [name, setName] = useState(() => {
    const here = PAGES.filter((each) => each.place === place)
    return (here.find((each) => each.first) ?? here[0] ?? PAGES[0])?.name ?? ""
  })
  const page = PAGES.find((each) => each.name === name)
  return (
    <Box>
      <Select
        aria-label="Page of the guide"
        w="100%"
        value={name}
        onChange={(event) => setName(event.target.value)}
      >
        {PAGES.map((each) => (
          <option key={each.name} value={each.name}>
            {each.title}
          </option>
        ))}
      </Select>
      <Box
        mt="8px"
        css={{
          "& h1": { fontSize: "18px", lineHeight: "24px", fontWeight: 600, marginBottom: "6px" },
          "& p, & ul, & ol": { marginBottom: "8px" },
          "& ul": { listStyle: "disc", paddingLeft: "18px" },
          "& ol": { listStyle: "decimal", paddingLeft: "18px" },
        }}
      >
        <Markdown
          components={{
            img: ({ src, alt }) => (
              <chakra.img
                src={pictureOf(typeof src === "string" ? src : "")}
                alt={alt ?? ""}
                w="100%"
                border="1px solid"
                borderColor="rule"
                mb="8px"
              />
            ),
            pre: ({ children }) => <Box mb="8px">{children}</Box>,
            code: ({ className, children }) => {
              const text = typeof children === "string" ? children : ""
              if (className === "language-keys") return <Sequence text={text} />
              if (className)
                return (
                  <Box as="pre" textStyle="figure" bg="sunk" p="6px" overflowX="auto">
                    {text}
                  </Box>
                )
              return <Kbd>{text}</Kbd>
            },
          }}
        >
          {page?.text ?? ""}
        </Markdown>
      </Box>
    </Box>
  )
}

/** Keys one after the other, and what stands on the screen then. */
function Sequence({ text }: { text: string }) {
  const lines = text.trim().split("\n")
  return (
    <Box bg="sunk" p="6px" data-testid="sequence">
      {lines.map((line, place) => (
        <Flex key={place} wrap="wrap" gap="4px" minH="24px" align="center">
          {line.startsWith("start ") || line.startsWith("see ") || line.startsWith("file ") ? (
            <chakra.span color="ink2">{line.replace(/"/g, "")}</chakra.span>
          ) : (
            (line.match(/"[^"]*"|\S+/g) ?? []).map((token, at) =>
              token.startsWith('"') ? (
                <chakra.span key={at} textStyle="figure">
                  {token.slice(1, -1)}
                </chakra.span>
              ) : (
                <Kbd key={at}>{token}</Kbd>
              ),
            )
          )}
        </Flex>
      ))}
    </Box>
  )
}
