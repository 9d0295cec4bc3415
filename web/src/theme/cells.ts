/**
 * The cells of long tables, as classes of their own: what they look like is worked out once, not for each of
 * the hundreds of cells that a scrolled frame draws.
 */
const rule = { borderBottom: "1px solid", borderColor: "rule" }

export const cells = {
  ".cell": { h: "row", px: "6px", bg: "sheet", ...rule, ...clipped() },
  ".cell.right": { textAlign: "right" },
  ".cell.bare": { px: "0" },
  ".cell.bare > .inside": { px: "6px", ...clipped() },
  "tr.chosen > .cell": { bg: "wash" },
  // The state stays in sight however narrow the room is.
  ".cell.last": { position: "sticky", right: 0, zIndex: 1, borderLeft: "1px solid", borderLeftColor: "rule" },
  "tr[aria-selected=true] > .cell.first": { boxShadow: "inset 3px 0 0 {colors.sea}" },
  ".station": { position: "relative", px: "0" },
  ".station.open": { overflow: "visible" },
  ".station.gap, tr.chosen > .station.gap": {
    bg: "waxWash",
    color: "wax",
    boxShadow: "inset 1px 0 0 {colors.wax}, inset -1px 0 0 {colors.wax}",
  },
  ".station.pale": { color: "ink2" },
  ".station.ruled::after": {
    content: '""',
    position: "absolute",
    left: 0,
    right: 0,
    bottom: "1px",
    height: "2px",
    borderBottom: "2px solid",
    borderColor: "ink",
    pointerEvents: "none",
  },
  ".station.passed::after": { borderBottomWidth: "1px" },
  ".station.double::after": { height: "5px", borderTop: "2px solid", borderColor: "ink" },
  ".stop": { display: "flex", alignItems: "center", gap: "4px", px: "6px", h: "24px", whiteSpace: "nowrap" },
  ".clip": { flex: 1, minW: 0, ...clipped() },
  ".figure": { textStyle: "figure" },
  ".figure.pencilled": {
    color: "pencil",
    bg: "pencilWash",
    border: "1px dashed",
    borderColor: "pencil",
    px: "3px",
  },
  ".in-wax": { color: "wax" },
  ".in-ink2": { color: "ink2" },
  ".in-ink3": { color: "ink3" },
  ".mark": { w: "12px", h: "12px", flex: "none", display: "inline-block", verticalAlign: "-1px" },
}

function clipped() {
  return { whiteSpace: "nowrap", overflow: "hidden", textOverflow: "ellipsis" } as const
}
