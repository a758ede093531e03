<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, onMounted, reactive, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'

/** Time on the bench, without its pauses, and what was corrected by hand. */
const props = defineProps<{ number: string; lead: boolean; people: Schemas['AtWork'][]; act: (work: () => Promise<unknown>) => Promise<void> }>()
const path = { number: props.number }
const hours = ref<Schemas['TicketHours'] | null>(null)
const open = ref(false)
const form = reactive({ person: null as string | null, minutes: 15, reason: '' })

onMounted(async () => {
  hours.value = (await api.GET('/api/tickets/{number}/hours', { params: { path } })).data ?? null
})
/** By person: what was measured, and what was corrected. */
const sums = computed(() => {
  const found = new Map<string, number>()
  for (const row of hours.value?.rows ?? []) found.set(row.who, (found.get(row.who) ?? 0) + row.minutes)
  return [...found]
})
const corrections = computed(() => (hours.value?.rows ?? []).filter((row) => row.correction))
const clock = (minutes: number) => {
  const whole = Math.round(Math.abs(minutes))
  return `${minutes < 0 ? '−' : ''}${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, '0')}`
}
const correct = () =>
  props.act(async () => {
    if (!form.person) return
    const day = new Date().toLocaleDateString('sv')
    const body = { person: form.person, day, minutes: form.minutes, reason: form.reason }
    hours.value = taken(await api.POST('/api/tickets/{number}/hours', { params: { path }, body }))
    open.value = false
    form.reason = ''
  })
const takeBack = (correction: string | null) =>
  props.act(async () => {
    if (!correction) return
    hours.value = taken(await api.DELETE('/api/tickets/{number}/hours/{correction}', { params: { path: { ...path, correction } } }))
  })
</script>

<template>
  <h2 class="heading">Hours <span class="number">{{ clock(hours?.minutes ?? 0) }}</span></h2>
  <p v-for="[who, minutes] in sums" :key="who" class="row"><span>{{ who }}</span><span class="number">{{ clock(minutes) }}</span></p>
  <p v-for="one in corrections" :key="one.correction ?? one.day" class="row small">
    <span>{{ one.who }} {{ clock(one.minutes) }}: {{ one.reason }}</span>
    <Button v-if="lead" link label="take back" @click="takeBack(one.correction)" />
  </p>
  <Button v-if="lead" severity="secondary" label="Correct" aria-label="Correct the hours" @click="open = true" />
  <Dialog v-model:visible="open" modal header="Correct the hours">
    <form class="form" @submit.prevent="correct">
      <label>whose
        <Select v-model="form.person" :options="people" option-label="name" option-value="id" placeholder="choose" aria-label="Whose hours" />
      </label>
      <label>minutes, more or less <InputNumber v-model="form.minutes" :min="-1440" :max="1440" show-buttons /></label>
      <label>why <InputText v-model="form.reason" required :maxlength="500" placeholder="forgot to sign in; talked to the client" /></label>
      <div class="acts">
        <Button severity="secondary" label="Leave it" @click="open = false" />
        <Button type="submit" label="Keep" :disabled="!form.person || !form.minutes" />
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.heading { margin-bottom: 4px; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 2px 0; align-items: baseline; }
.form { display: grid; gap: 12px; width: min(360px, 86vw); }
label { display: grid; gap: 3px; font-weight: 600; }
label > * { font-weight: 400; }
.acts { display: flex; justify-content: flex-end; gap: 10px; }
</style>
