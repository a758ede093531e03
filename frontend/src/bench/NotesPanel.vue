<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import Textarea from 'primevue/textarea'
import { nextTick, ref, useTemplateRef, watch } from 'vue'

import { theBench } from './useBench'

const { ledger, tools, round } = theBench()
const text = ref('')
const writing = ref(false)
const field = useTemplateRef<InstanceType<typeof Textarea> & { $el: HTMLTextAreaElement }>('field')

watch(() => round.pinAt, async (at) => {
  if (at) await begin()
})
async function begin() {
  writing.value = true
  await nextTick()
  field.value?.$el.focus()
}
async function keep() {
  if (text.value.trim()) await round.addNote(text.value.trim())
  leave()
}
function leave() {
  text.value = ''
  writing.value = false
  round.pinAt = null
}
</script>

<template>
  <section class="notes" aria-label="Notes">
    <p v-if="ledger.page?.photo.note" class="first">
      <span class="visually-hidden">The client's note: </span>“{{ ledger.page.photo.note }}”
    </p>
    <p v-for="(note, index) in round.notes" :key="note.id" class="one" :class="[note.side, { done: note.done_at }]">
      <Checkbox binary :model-value="Boolean(note.done_at)" :aria-label="`Done: ${note.text}`" @update:model-value="round.noteDone(note, $event)" />
      <span>
        <b v-if="note.x != null" class="number">{{ index + 1 }}</b> {{ note.text }}
        <span class="soft small">{{ note.side === 'desk' ? 'the desk' : note.author }}</span>
      </span>
      <Button
        v-if="note.side === 'editor'" link size="small" label="×" :aria-label="`Take off the note ${note.text}`"
        @click="round.removeNote(note)"
      />
    </p>
    <form v-if="writing" @submit.prevent="keep">
      <Textarea
        ref="field" v-model="text" rows="2" :maxlength="2000" fluid aria-label="Note"
        @keydown.stop @keydown.escape="leave" @keydown.enter.exact.prevent="keep"
      />
      <Button severity="secondary" type="submit" :label="round.pinAt ? 'Pin it' : 'Keep it'" />
      <Button severity="secondary" label="Leave it" @click="leave" />
    </form>
    <p v-else class="ways">
      <Button link size="small" label="note" @click="begin" />
      <Button
        link size="small" :aria-pressed="tools.tool === 'note'" :label="tools.tool === 'note' ? 'click on the photo…' : 'pin a note'"
        @click="tools.tool = tools.tool === 'note' ? 'look' : 'note'"
      />
    </p>
  </section>
</template>

<style scoped>
.notes { margin: 6px 12px 2px; padding-top: 6px; border-top: 1px dashed var(--hairline); display: grid; gap: 4px; }
.first { color: var(--soft-ink); }
.one { display: grid; grid-template-columns: 16px 1fr auto; gap: 6px; align-items: start; overflow-wrap: anywhere; }
.one.desk { color: var(--short); }
.one.done { color: var(--soft-ink); text-decoration: line-through; }
form { display: flex; flex-wrap: wrap; gap: 5px; }
.ways { display: flex; gap: 14px; }
</style>
