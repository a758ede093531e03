<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, nextTick, ref, useTemplateRef } from 'vue'

import type { Schemas } from '../api/client'
import { clamp, digitsOf, scaleOf, stepped } from './scale'

/** Our control for a number: drag, wheel, type; Home goes back to rest, End takes what is proposed. */
const props = defineProps<{
  /** As the server declares it: name, unit, ends, rest, step. */
  ruler: Schemas['ShownRuler']
  value: number
  /** The value at the start of this visit, shown as a dot. */
  before?: number
  /** What the program would choose, shown hollow; a click takes it. */
  proposal?: number
  disabled?: boolean
}>()
const emit = defineEmits<{ drag: [value: number]; settle: [value: number] }>()

const track = useTemplateRef<HTMLElement>('track')
const field = useTemplateRef<HTMLInputElement>('field')
const typing = ref(false)
const typed = ref('')
const dragged = ref<number | null>(null)

const name = computed(() => props.ruler.name)
const scale = computed(() => scaleOf(props.ruler))
const digits = computed(() => digitsOf(props.ruler))
const shown = computed(() => dragged.value ?? props.value)
const placeOf = (value: number) => 100 * clamp(scale.value.toPlace(value), 0, 1)
const place = computed(() => placeOf(shown.value))
const span = computed(() => {
  const rest = placeOf(props.ruler.rest)
  return { left: `${Math.min(place.value, rest)}%`, width: `${Math.abs(place.value - rest)}%` }
})
const text = computed(() => {
  const number = shown.value.toFixed(digits.value)
  const both = props.ruler.low < 0 && props.ruler.rest === 0
  return both && shown.value > 0 ? `+${number}` : number
})
/** Whether the mark of what is proposed stands where an end's words would. */
const near = (end: number) => props.proposal !== undefined && Math.abs(placeOf(props.proposal) - end) < 32
const rounded = (value: number) => stepped(props.ruler, value)
const within = (value: number) => clamp(value, props.ruler.low, props.ruler.high)

function at(event: PointerEvent): number {
  const box = track.value?.getBoundingClientRect()
  if (!box) return props.value
  return rounded(scale.value.toValue(clamp((event.clientX - box.left) / box.width, 0, 1)))
}

function start(event: PointerEvent) {
  if (props.disabled || event.button !== 0) return
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  dragged.value = at(event)
  emit('drag', dragged.value)
}
function move(event: PointerEvent) {
  if (dragged.value === null) return
  const value = at(event)
  if (value !== dragged.value) {
    dragged.value = value
    emit('drag', value)
  }
}
function end() {
  if (dragged.value === null) return
  const value = dragged.value
  dragged.value = null
  emit('settle', value)
}

const settleSoon = useDebounceFn(end, 350)
function nudge(steps: number) {
  if (props.disabled) return
  const next = rounded(shown.value + steps * props.ruler.step)
  dragged.value = next
  emit('drag', next)
  void settleSoon()
}

async function type() {
  if (props.disabled) return
  typed.value = shown.value.toFixed(digits.value)
  typing.value = true
  await nextTick()
  field.value?.select()
}
function take() {
  if (!typing.value) return
  typing.value = false
  const value = Number(typed.value.replace(',', '.').replace('−', '-'))
  if (Number.isFinite(value)) emit('settle', within(value))
}
function back() {
  if (!props.disabled) emit('settle', props.ruler.rest)
}
function takeProposal() {
  if (props.proposal !== undefined && !props.disabled) emit('settle', within(props.proposal))
}
</script>

<template>
  <div class="ruler" :class="{ disabled }">
    <div class="head">
      <span class="name">{{ name }}</span>
      <input
        v-if="typing"
        ref="field"
        v-model="typed"
        class="number field"
        :aria-label="`${name}, typed`"
        @keydown.enter="take"
        @keydown.esc.stop="typing = false"
        @blur="take"
      />
      <button v-else class="value" type="button" tabindex="-1" :title="`Type ${name}`" @click="type">
        <span class="number">{{ text }}</span><span v-if="ruler.unit" class="unit">{{ ruler.unit }}</span>
      </button>
    </div>
    <div class="lane">
    <div
      ref="track"
      class="track"
      role="slider"
      :tabindex="disabled ? -1 : 0"
      :aria-label="name"
      :aria-valuemin="ruler.low"
      :aria-valuemax="ruler.high"
      :aria-valuenow="shown"
      :aria-valuetext="`${text} ${ruler.unit}`"
      :aria-disabled="disabled"
      @pointerdown="start"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="end"
      @dblclick="back"
      @wheel.prevent="nudge($event.deltaY < 0 ? 1 : -1)"
      @keydown.right.prevent="nudge($event.shiftKey ? 10 : 1)"
      @keydown.up.prevent="nudge($event.shiftKey ? 10 : 1)"
      @keydown.left.prevent="nudge($event.shiftKey ? -10 : -1)"
      @keydown.down.prevent="nudge($event.shiftKey ? -10 : -1)"
      @keydown.home.prevent="back"
      @keydown.end.prevent="takeProposal"
      @keydown.enter.prevent="type"
    >
      <div class="ticks"></div>
      <div class="span" :style="span"></div>
      <svg class="caret" :style="{ left: `${place}%` }" viewBox="0 0 12 14"><path d="M1 0.5h10v8L6 13.5 1 8.5z" /></svg>
      <div v-if="before !== undefined && before !== value" class="before" :style="{ left: `${placeOf(before)}%` }"></div>
      <span v-if="ruler.ends && !near(0)" class="end left">{{ ruler.ends[0] }}</span>
      <span v-if="ruler.ends && !near(100)" class="end right">{{ ruler.ends[1] }}</span>
    </div>
      <button
        v-if="proposal !== undefined"
        class="proposal"
        type="button"
        tabindex="-1"
        :style="{ left: `${placeOf(proposal)}%` }"
        :title="`Take the proposed ${proposal.toFixed(digits)} ${ruler.unit}`"
        :aria-label="`Take the proposed ${name}`"
        @pointerdown.stop
        @dblclick.stop
        @click.stop="takeProposal"
      >
        <svg viewBox="0 0 10 8"><path d="M5 0.8 9.3 7.3H0.7z" /></svg>
      </button>
    </div>
  </div>
</template>

<style scoped>
.ruler { height: 44px; user-select: none; min-width: 0; }
.head { display: flex; justify-content: space-between; align-items: baseline; gap: 4px; height: 18px; }
.name { white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.value { border: 0; background: none; padding: 3px 2px; margin: -3px 0; cursor: text; white-space: nowrap; min-height: 24px; min-width: 24px; }
.value:hover { background: var(--sheet); }
.unit { font-size: 12px; margin-left: 3px; }
.field { width: 76px; height: 18px; text-align: right; border: 1px solid var(--fern); border-radius: 3px; padding: 0 3px; }
.lane { position: relative; margin: 0 6px; }
.track { position: relative; height: 24px; cursor: ew-resize; touch-action: none; }
.ticks {
  position: absolute; inset: 3px -0.5px auto; height: 12px;
  border-bottom: 1px solid var(--rule);
  background:
    repeating-linear-gradient(to right, var(--rule) 0 1px, transparent 1px calc((100% - 1px) / 4)) 0 0 / 100% 12px,
    repeating-linear-gradient(to right, var(--hairline) 0 1px, transparent 1px calc((100% - 1px) / 20)) 0 6px / 100% 6px no-repeat;
}
.span { position: absolute; top: 13px; height: 3px; background: var(--fern); }
.caret { position: absolute; top: 1px; width: 12px; height: 14px; margin-left: -6px; fill: var(--ink); }
.track:hover .caret, .track:focus-visible .caret { fill: var(--fern); }
.before { position: absolute; top: 19px; width: 5px; height: 5px; margin-left: -2.5px; border-radius: 50%; background: var(--soft-ink); }
.proposal {
  position: absolute; top: 13px; width: 24px; height: 24px; margin-left: -12px; padding: 2px 7px 0; border: 0; background: none;
  cursor: pointer; z-index: 1;
}
.proposal svg { display: block; width: 10px; height: 8px; fill: var(--sheet); stroke: var(--ink); stroke-width: 1.2; }
.proposal:hover svg { fill: var(--fern); }
.end { position: absolute; top: 15px; font-size: 12px; color: var(--soft-ink); }
.end.left { left: -6px; }
.end.right { right: -6px; }
.disabled .head { opacity: 0.75; }
.disabled .track { opacity: 0.4; }
.disabled .track { cursor: default; }
</style>
