/** A piece of a sentence of the guide: plain words, something to type, a key to press, something that is read then. */
export interface Piece {
  kind: "words" | "typed" | "key" | "read"
  text: string
}

/** The sentences of a page's key sequence, one a step: what is pressed and typed, and what stands on the screen then. */
export function sentencesOf(sequence: string): Piece[][] {
  const sentences: Piece[][] = []
  for (const line of sequence.trim().split("\n")) {
    const tokens = line.match(/"[^"]*"|[^\s"]+/g) ?? []
    const [verb, what, name] = tokens
    const last = sentences.at(-1)
    if (verb === "see" && last)
      last.push(words(" Then it reads "), { kind: "read", text: bare(what) }, words("."))
    else if (verb === "start")
      sentences.push([
        words(what === "blank" ? "On the first page begin the rig " : "On the first page open the example "),
        { kind: "read", text: bare(name) },
        words("."),
      ])
    else if (verb === "file")
      sentences.push([
        words("Choose "),
        { kind: "read", text: bare(what) },
        words(" with "),
        INPUT_LIST,
        words("."),
      ])
    else sentences.push(pressed(tokens))
  }
  return sentences
}

const words = (text: string): Piece => ({ kind: "words", text })
const bare = (token = "") => token.replace(/^"|"$/g, "")
const INPUT_LIST: Piece = { kind: "read", text: "Input list" }

/** What is typed and what is pressed in turn, as one sentence. */
function pressed(tokens: string[]): Piece[] {
  const pieces: Piece[] = []
  let before: Piece["kind"] | "" = ""
  for (const token of tokens) {
    const kind = token.startsWith('"') ? "typed" : "key"
    if (kind === before) pieces.push(words(", "))
    else {
      const verb = kind === "typed" ? "type " : "press "
      pieces.push(words(before === "" ? capital(verb) : (kind === "typed" ? "; " : ", ") + verb))
    }
    pieces.push({ kind, text: bare(token) })
    before = kind
  }
  return [...pieces, words(".")]
}

const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
