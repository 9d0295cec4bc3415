/** The pages of the guide, as they stand in docs/guide: in the order in which people work. */

const texts = import.meta.glob<string>("../../../../docs/guide/[0-9]*.md", {
  query: "?raw",
  import: "default",
  eager: true,
})
const pictures = import.meta.glob<string>("../../../../docs/screenshots/*.png", {
  query: "?url",
  import: "default",
  eager: true,
})

export interface GuidePage {
  name: string
  place: string
  /** Of several of a place the one that `?` leads to. */
  first: boolean
  title: string
  text: string
}

export const PAGES: GuidePage[] = Object.entries(texts)
  .sort(([one], [other]) => one.localeCompare(other))
  .map(([path, text]) => ({
    name: path.split("/").pop() ?? path,
    place: /^<!-- place: (\w+)/.exec(text)?.[1] ?? "",
    first: /^<!-- place: \w+ first -->/.test(text),
    title: /^# (.+)$/m.exec(text)?.[1] ?? path,
    text: text.replace(/^<!--.*?-->\n/, ""),
  }))

/** Where a picture that a page names is found. */
export function pictureOf(source: string): string {
  const name = source.split("/").pop() ?? ""
  return Object.entries(pictures).find(([path]) => path.endsWith(`/${name}`))?.[1] ?? ""
}
