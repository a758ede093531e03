import { computed, reactive, ref, watchEffect, type Ref } from 'vue'

interface Line {
  requirement: string
  what: string
  state: string
}

/** Heights on the paper, pixels: a line of the slip, what a short one says below it, and the slip's heading with the walkover. */
const LINE = 24
const ASKS = 17
const HEADED = 60
/** Fewer are not worth folding. */
const LEAST = 3

/**
 * The slip folded to what is not settled, so that the steps have room: where both do not fit on the paper, unless a person
 * opened it. A line that is measured anew stays where it was until it is known. `height` is the paper's, 0 as long as it is
 * not known; `others` is what all but the slip's lines needs of it.
 */
export function useFolding(height: Ref<number>, lines: () => Line[], others: () => number) {
  const open = ref(false)
  const settled = reactive(new Map<string, boolean>())
  const keyOf = (line: Line) => `${line.requirement} ${line.what}`

  watchEffect(() => {
    for (const line of lines()) if (line.state !== 'measuring') settled.set(keyOf(line), line.state === 'holds' || line.state === 'later')
  })
  const holds = (line: Line) => settled.get(keyOf(line)) ?? false
  const needed = computed(() => {
    const short = lines().filter((line) => line.state === 'short').length
    return HEADED + LINE * lines().length + ASKS * short + others()
  })
  const foldable = computed(() => height.value > 0 && needed.value > height.value && lines().filter(holds).length >= LEAST)
  const folded = computed(() => foldable.value && !open.value)
  const hidden = (line: Line) => folded.value && holds(line)
  return { folded, foldable, hidden, open }
}
