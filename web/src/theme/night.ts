import { useCallback, useState } from "react"

const KEY = "iskelo-theme"
export type Theme = "light" | "night"

/** The theme kept in this browser; without one, what the system prefers. */
export function startTheme(): Theme {
  const kept = localStorage.getItem(KEY)
  const wanted: Theme =
    kept === "night" || kept === "light"
      ? kept
      : window.matchMedia("(prefers-color-scheme: dark)").matches
        ? "night"
        : "light"
  wear(wanted)
  // Paper is light, whatever the screen is.
  const prints = window.matchMedia("print")
  let worn = wanted
  prints.addEventListener("change", () => {
    if (prints.matches) worn = document.documentElement.classList.contains("dark") ? "night" : "light"
    wear(prints.matches ? "light" : worn)
  })
  return wanted
}

function wear(theme: Theme) {
  document.documentElement.classList.toggle("dark", theme === "night")
  document.documentElement.style.colorScheme = theme === "night" ? "dark" : "light"
}

/** The theme, and a way to change it. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(() =>
    document.documentElement.classList.contains("dark") ? "night" : "light",
  )
  const turn = useCallback(
    () =>
      setTheme((now) => {
        const next = now === "night" ? "light" : "night"
        localStorage.setItem(KEY, next)
        wear(next)
        return next
      }),
    [],
  )
  return [theme, turn]
}
