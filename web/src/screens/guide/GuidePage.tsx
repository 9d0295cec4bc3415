import { Box, chakra } from "@chakra-ui/react"
import { useState } from "react"
import Markdown from "react-markdown"

import { Kbd, Select } from "../../parts/controls"
import { PAGES, pictureOf } from "./pages"
import { type Piece, sentencesOf } from "./sentences"

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

/** What to press and to type, step by step, and what stands on the screen then. */
function Sequence({ text }: { text: string }) {
  return (
    <chakra.ol bg="sunk" p="6px" data-testid="sequence">
      {sentencesOf(text).map((pieces, step) => (
        <chakra.li key={step} mb="4px">
          {pieces.map((piece, at) => (
            <Part key={at} {...piece} />
          ))}
        </chakra.li>
      ))}
    </chakra.ol>
  )
}

function Part({ kind, text }: Piece) {
  if (kind === "key") return <Kbd>{text}</Kbd>
  if (kind === "typed")
    return (
      <chakra.span textStyle="figure" bg="sheet" px="3px">
        {text}
      </chakra.span>
    )
  return kind === "read" ? <i>{text}</i> : text
}
