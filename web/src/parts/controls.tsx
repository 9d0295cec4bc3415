import { Box, chakra, defineRecipe } from "@chakra-ui/react"
import type { ComponentProps } from "react"

const focus = { outline: "2px solid", outlineColor: "sea", outlineOffset: "1px" }

const button = defineRecipe({
  base: {
    display: "inline-flex",
    alignItems: "center",
    gap: "6px",
    whiteSpace: "nowrap",
    fontFamily: "body",
    borderRadius: "sm",
    cursor: "pointer",
    border: "1px solid transparent",
    _focusVisible: focus,
    _disabled: { color: "ink3", cursor: "default" },
  },
  variants: {
    variant: {
      ink: {
        bg: "sea",
        color: "onSea",
        fontWeight: "600",
        _hover: { bg: "seaDeep" },
        _disabled: { bg: "sunk", color: "ink2", borderColor: "edge" },
      },
      plain: { bg: "sheet", color: "ink", borderColor: "edge", _hover: { bg: "sunk" } },
      quiet: { bg: "transparent", color: "ink", _hover: { bg: "sunk" } },
      link: { bg: "transparent", color: "sea", fontWeight: "600", _hover: { bg: "wash" } },
      trial: {
        bg: "pencilWash",
        color: "pencil",
        border: "1px dashed",
        borderColor: "pencil",
        fontWeight: "600",
      },
    },
    size: {
      row: { h: "24px", px: "6px", fontSize: "13px", lineHeight: "18px" },
      bar: { h: "28px", px: "8px", fontSize: "14px", lineHeight: "20px" },
    },
  },
  defaultVariants: { variant: "plain", size: "bar" },
})

export const Button = chakra("button", button, { defaultProps: { type: "button" } })

const field = defineRecipe({
  base: {
    h: "26px",
    px: "6px",
    bg: "sheet",
    color: "ink",
    border: "1px solid",
    borderColor: "edge",
    borderRadius: "sm",
    textStyle: "cell",
    minW: 0,
    _placeholder: { color: "ink3" },
    _focusVisible: { outline: "2px solid", outlineColor: "sea", outlineOffset: "0" },
    _disabled: { color: "ink3", bg: "paper" },
  },
  variants: {
    figure: { true: { textStyle: "figure", textAlign: "right" } },
    bad: { true: { borderColor: "wax", bg: "waxWash" } },
  },
})

export const Input = chakra("input", field)
const PlainSelect = chakra("select", field)

/** Whether a drop-down's list stands open; browsers that cannot tell open it on any key. */
const isOpen = (select: HTMLSelectElement) => {
  try {
    return select.matches(":open")
  } catch {
    return false
  }
}

const TURNING = ["ArrowDown", "ArrowUp", "Home", "End", "PageDown", "PageUp"]

/**
 * A drop-down that no key changes by accident: arrows open its list, and the focus leaves it when something is chosen
 * and on Escape, so that the next letter is a command again. In a form, where Tab goes on, it stays.
 */
export function Select(props: ComponentProps<typeof PlainSelect>) {
  const { onChange, onKeyDown, ...rest } = props
  return (
    <PlainSelect
      textOverflow="ellipsis"
      {...rest}
      onMouseEnter={(event) => {
        // A choice that is too long for its field is told in full on hover.
        if (!rest.title) event.currentTarget.title = event.currentTarget.selectedOptions[0]?.text ?? ""
      }}
      onChange={(event) => {
        onChange?.(event)
        if (!event.currentTarget.form) event.currentTarget.blur()
      }}
      onKeyDown={(event) => {
        const select = event.currentTarget
        if (event.key === "Escape" && !select.form && !isOpen(select)) {
          select.blur()
          event.preventDefault()
        } else if (TURNING.includes(event.key) && !event.altKey && !isOpen(select)) {
          event.preventDefault()
          select.showPicker?.()
        }
        onKeyDown?.(event)
      }}
    />
  )
}
export const TextArea = chakra("textarea", field)

export const Kbd = chakra("kbd", {
  base: {
    fontFamily: "mono",
    fontSize: "11px",
    lineHeight: "14px",
    border: "1px solid",
    borderColor: "edge",
    borderRadius: "sm",
    px: "4px",
    color: "ink",
    bg: "transparent",
  },
})

/** A figure with its unit, in the monospaced face. */
export const Figure = chakra("span", { base: { textStyle: "figure" } })

/** A box to tick with its words behind it; `label` says it in full where the words alone do not. */
export function TickBox(props: {
  words: string
  label?: string
  title?: string
  on: boolean
  able?: boolean
  onTurn: (on: boolean) => void
}) {
  return (
    <chakra.label
      title={props.title ?? props.label}
      display="inline-flex"
      alignItems="center"
      gap="3px"
      fontSize="12px"
      whiteSpace="nowrap"
      color={props.able === false ? "ink3" : "ink2"}
    >
      <input
        type="checkbox"
        aria-label={props.label}
        checked={props.on}
        disabled={props.able === false}
        onChange={(event) => props.onTurn(event.target.checked)}
      />
      {props.words}
    </chakra.label>
  )
}

/** How much of some work is done, from 0 to 1. */
export function Progress({ share, label }: { share: number; label: string }) {
  const percent = Math.round(share * 100)
  return (
    <Box
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={percent}
      w="220px"
      h="10px"
      border="1px solid"
      borderColor="edge"
      bg="sunk"
    >
      <Box h="100%" bg="sea" style={{ width: `${percent}%` }} />
    </Box>
  )
}
