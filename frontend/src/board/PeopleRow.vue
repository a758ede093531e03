<script setup lang="ts">
import { onMounted, ref } from 'vue'

import { api, type Schemas } from '../api/client'
import { dueText } from '../common/due'

/** Who works here, to be dragged on a ticket; the first nine also by their number while a ticket has the focus. */
const emit = defineEmits<{ drag: [person: string | null] }>()
const people = ref<Schemas['AtWork'][]>([])
const NUMBERED = 9

async function load() {
  people.value = (await api.GET('/api/people-at-work')).data ?? []
}
onMounted(load)
function start(event: DragEvent, person: Schemas['AtWork']) {
  event.dataTransfer?.setData('text/plain', person.name)
  emit('drag', person.id)
}
const says = (one: Schemas['AtWork']) =>
  one.next_due ? `${one.tickets} ${one.tickets === 1 ? 'ticket' : 'tickets'}, next ${dueText(one.next_due)}` : 'nothing to do'
defineExpose({ load, at: (place: number) => people.value[place - 1]?.id })
</script>

<template>
  <section v-if="people.length > 1" class="people" aria-label="Who works here">
    <span class="soft small">drag on a ticket, or press the number at one:</span>
    <span
      v-for="(person, place) in people" :key="person.id" v-tooltip.bottom="says(person)" class="person" draggable="true" @dragstart="start($event, person)"
      @dragend="emit('drag', null)"
    ><b v-if="place < NUMBERED" class="number">{{ place + 1 }}</b> {{ person.name }} <span class="soft number">{{ person.tickets }}</span></span>
  </section>
</template>

<style scoped>
.people { display: flex; flex-wrap: wrap; align-items: center; gap: 6px 8px; padding: 8px 16px 0; max-height: 100px; overflow-y: auto; }
.person {
  display: inline-flex; gap: 6px; align-items: baseline; min-height: 24px;
  padding: 3px 9px; background: var(--paper); border-radius: 3px; cursor: grab;
}
@media (max-width: 900px) { .people { display: none; } }
</style>
