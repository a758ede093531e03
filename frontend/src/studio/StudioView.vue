<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import { onMounted, ref, watch } from 'vue'

import { api, said, taken, type Schemas } from '../api/client'
import { moment } from '../common/due'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import { useSession } from '../common/useSession'
import PageHead from '../parts/PageHead.vue'

const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const { ask } = useSession()
const form = ref<Schemas['Studio'] | null>(null)
const hosts = ref('')
const next = ref('')
const wrong = ref('')
const words = ref('')
const happened = ref<Schemas['Happening'][]>([])
const more = ref(false)
const PAGE = 60

onMounted(() =>
  trying(async () => {
    form.value = taken(await api.GET('/api/studio'))
    hosts.value = (form.value.host_names ?? []).join(', ')
    await find()
  }),
)
async function find(before?: number) {
  const found = taken(await api.GET('/api/happened', { params: { query: { words: words.value, before, limit: PAGE } } }))
  happened.value = before ? [...happened.value, ...found] : found
  more.value = found.length === PAGE
}
watch(words, useDebounceFn(() => trying(() => find()), 200))
watch(() => form.value?.number_pattern, useDebounceFn(async (pattern: string | undefined) => {
  if (!pattern) return
  try {
    next.value = taken(await api.POST('/api/studio/number', { body: { pattern } })).number
    wrong.value = ''
  } catch (error) {
    wrong.value = said(error)
  }
}, 200))
const keep = () =>
  trying(async () => {
    if (!form.value) return
    const host_names = hosts.value.split(/[\s,]+/).filter(Boolean)
    form.value = taken(await api.PUT('/api/studio', { body: { ...form.value, host_names } }))
    await ask()
    say('The settings are kept.')
    await find()
  })
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Studio" under="settings, and what happened" />
  <main class="studio">
    <form v-if="form" class="paper" aria-label="Settings" @submit.prevent="keep">
      <h2 class="heading">Settings</h2>
      <label>the studio is called <InputText v-model="form.name" :maxlength="80" /></label>
      <label>tickets are numbered
        <InputText v-model="form.number_pattern" v-tooltip.top="'{count:4}, {year}, {month}, {day}'" :maxlength="60" required />
        <span class="small" :class="wrong ? 'problem' : 'soft'" role="status">{{ wrong || (next && `such as ${next}`) }}</span>
      </label>
      <label>days in the bin <InputNumber v-model="form.bin_days" :min="1" :max="3650" /></label>
      <label>days until one is signed out <InputNumber v-model="form.session_days" :min="1" :max="365" /></label>
      <label>a pause counts as work up to, seconds <InputNumber v-model="form.idle_seconds" :min="10" :max="1800" /></label>
      <label>memory for pictures, MB in each process
        <InputNumber v-model="form.memory_mb" :min="128" :max="262144" placeholder="as it was started with" />
      </label>
      <label>host names it may be reached by
        <InputText v-model="hosts" placeholder="any" />
        <span class="small soft">This machine itself always may.</span>
      </label>
      <Button type="submit" label="Keep" class="act" :disabled="Boolean(wrong)" />
    </form>
    <section class="sheet" aria-label="What happened">
      <div class="top">
        <h2 class="heading">What happened</h2>
        <InputText v-model="words" type="search" placeholder="who, what, ticket, client" aria-label="Find what happened" />
      </div>
      <p v-if="happened.length === 0" class="row">Nothing of that happened.</p>
      <p v-for="one in happened" :key="one.id" class="row">
        <span class="number">{{ moment(one.made_at) }}</span>
        <span><b>{{ one.about }}</b> {{ one.what }}</span>
        <span class="soft">{{ one.who }}</span>
        <span class="number soft">{{ one.address }}</span>
      </p>
      <Button v-if="more" severity="secondary" label="Earlier" @click="trying(() => find(happened.at(-1)?.id))" />
    </section>
  </main>
</template>

<style scoped>
.studio { display: grid; grid-template-columns: 300px minmax(0, 1fr); height: calc(100% - 40px); }
.paper { background: var(--paper); padding: 14px; overflow: auto; border-right: 1px solid var(--hairline); display: grid; gap: 12px; align-content: start; }
label { display: grid; gap: 3px; font-weight: 600; }
label > * { font-weight: 400; }
.problem { color: var(--short); }
.act { justify-self: start; }
.sheet { padding: 14px 16px; overflow: auto; }
.top { display: flex; justify-content: space-between; align-items: center; gap: 14px; margin-bottom: 10px; }
.top input { width: 260px; }
.row {
  display: grid; grid-template-columns: 100px minmax(0, 1fr) 140px 110px; gap: 12px; padding: 5px 10px; margin-bottom: 2px; background: var(--paper);
  border-radius: 3px;
}
</style>
