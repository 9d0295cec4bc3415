import { useCallback, useEffect, useMemo } from "react"

import { useDraft } from "../../parts/drafts"

/** A list that is larger is not kept over a reload: what a window may keep is about 5 MB. */
const KEPT_BYTES = 1_500_000

interface Left {
  name: string
  modified: number
  base64: string
}

const NONE: Left | null = null

/** The input list that was begun and not finished: kept in this window until its last row is made or it is discarded. */
export function useLeftList(opened: File | null): [File | null, () => void] {
  const [left, put, forget] = useDraft<Left | null>("list", NONE)
  useEffect(() => {
    if (!opened || opened.size > KEPT_BYTES) return
    const reader = new FileReader()
    reader.onload = () => {
      const [, base64 = ""] = String(reader.result).split(",", 2)
      put({ name: opened.name, modified: opened.lastModified, base64 })
    }
    reader.readAsDataURL(opened)
    return () => {
      reader.onload = null
    }
  }, [opened, put])
  const file = useMemo(() => {
    if (!left) return null
    const bytes = Uint8Array.from(atob(left.base64), (letter) => letter.charCodeAt(0))
    return new File([bytes], left.name, { lastModified: left.modified })
  }, [left])
  return [file, useCallback(() => forget(), [forget])]
}
