<script setup lang="ts">
import { nextTick, ref, useTemplateRef, watch } from 'vue'

import { theBench } from './useBench'

const bench = theBench()
const round = bench.round
const text = ref('')
const writing = ref(false)
const field = useTemplateRef<HTMLTextAreaElement>('field')

watch(() => round.pinAt.value, async (at) => {
  if (at) await begin()
})
async function begin() {
  writing.value = true
  await nextTick()
  field.value?.focus()
}
async function keep() {
  if (text.value.trim()) await round.addNote(text.value.trim())
  leave()
}
function leave() {
  text.value = ''
  writing.value = false
  round.pinAt.value = null
}
</script>

<template>
  <section class="notes" aria-label="Notes">
    <p v-if="bench.page.value?.photo.note" class="first">
      <span class="visually-hidden">The client's note: </span>“{{ bench.page.value.photo.note }}”
    </p>
    <p v-for="(note, index) in round.notes.value" :key="note.id" class="one" :class="[note.side, { done: note.done_at }]">
      <input type="checkbox" :checked="Boolean(note.done_at)" :aria-label="`Done: ${note.text}`" @change="round.noteDone(note, ($event.target as HTMLInputElement).checked)" />
      <span><b v-if="note.x != null" class="number">{{ index + 1 }}</b> {{ note.text }} <span class="soft small">{{ note.side === 'desk' ? 'the desk' : note.author }}</span></span>
      <button v-if="note.side === 'editor'" class="link small" type="button" :aria-label="`Take off the note ${note.text}`" @click="round.removeNote(note)">×</button>
    </p>
    <form v-if="writing" @submit.prevent="keep">
      <textarea ref="field" v-model="text" rows="2" maxlength="2000" aria-label="Note" @keydown.stop @keydown.escape="leave" @keydown.enter.exact.prevent="keep"></textarea>
      <button class="plain" type="submit">{{ round.pinAt.value ? 'Pin it' : 'Keep it' }}</button>
      <button class="plain" type="button" @click="leave">Leave it</button>
    </form>
    <p v-else class="ways">
      <button class="link small" type="button" @click="begin">note</button>
      <button class="link small" type="button" :aria-pressed="bench.tool.value === 'note'" @click="bench.tool.value = bench.tool.value === 'note' ? 'look' : 'note'">{{ bench.tool.value === 'note' ? 'click on the photo…' : 'pin a note' }}</button>
    </p>
  </section>
</template>

<style scoped>
.notes { margin: 6px 12px 2px; padding-top: 6px; border-top: 1px dashed var(--hairline); display: grid; gap: 4px; }
.first { color: var(--soft-ink); }
.one { display: grid; grid-template-columns: 16px 1fr auto; gap: 6px; align-items: start; overflow-wrap: anywhere; }
.one.desk { color: var(--short); }
.one.done { color: var(--soft-ink); text-decoration: line-through; }
textarea { width: 100%; font: inherit; resize: vertical; }
.ways { display: flex; gap: 14px; }
</style>
