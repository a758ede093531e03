<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { computed, onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import PageHead from '../parts/PageHead.vue'

type Thing = { kind: 'ticket' | 'photo'; id: string; number: string; title: string; binned_at: string; delivered: boolean; more: string }

const DAY = 86_400_000
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const bin = ref<Schemas['Bin'] | null>(null)
const going = ref<Thing | null>(null)
const sure = ref('')
const things = computed<Thing[]>(() => {
  const tickets = (bin.value?.tickets ?? []).map((one) => ({
    ...one, kind: 'ticket' as const, more: `${one.client}, ${one.photos} ${one.photos === 1 ? 'photo' : 'photos'}`,
  }))
  const photos = (bin.value?.photos ?? []).map((one) => ({ ...one, kind: 'photo' as const, more: 'a photo' }))
  return [...tickets, ...photos].sort((a, b) => b.binned_at.localeCompare(a.binned_at))
})
const left = (one: Thing) => Math.max(0, Math.ceil((bin.value?.days ?? 0) - (Date.now() - Date.parse(one.binned_at)) / DAY))

onMounted(() => trying(async () => { bin.value = taken(await api.GET('/api/bin')) }))
const restore = (one: Thing) =>
  trying(async () => {
    bin.value = one.kind === 'ticket'
      ? taken(await api.POST('/api/bin/tickets/{ticket}/restore', { params: { path: { ticket: one.id } } }))
      : taken(await api.POST('/api/bin/photos/{photo}/restore', { params: { path: { photo: one.id } } }))
    say(`${one.title} is back on ${one.kind === 'ticket' ? 'the board' : one.number}.`)
  })
function ask(one: Thing) {
  sure.value = ''
  going.value = one
}
const empty = () =>
  trying(async () => {
    const one = going.value
    if (!one) return
    const query = { sure: sure.value.trim() }
    bin.value = one.kind === 'ticket'
      ? taken(await api.DELETE('/api/bin/tickets/{ticket}', { params: { path: { ticket: one.id }, query } }))
      : taken(await api.DELETE('/api/bin/photos/{photo}', { params: { path: { photo: one.id }, query } }))
    going.value = null
    say(`${one.title} is deleted.`)
  })
</script>

<template>
  <PageHead number="FERN TICKET" to="/" title="Bin" :under="bin ? `kept for ${bin.days} days` : ''" />
  <main class="bin">
    <p v-if="bin && things.length === 0" class="row">Nothing lies in the bin. Tickets and photos that are put away come here first.</p>
    <div v-for="one in things" :key="one.id" class="row">
      <span class="number">{{ one.number }}</span>
      <span><strong>{{ one.title }}</strong> <span class="soft">{{ one.more }}</span></span>
      <span class="soft">{{ one.delivered ? 'was delivered: stays until it is deleted here' : `${left(one)} days left` }}</span>
      <Button severity="secondary" label="Bring back" @click="restore(one)" />
      <Button link label="delete for good" @click="ask(one)" />
    </div>
    <Dialog :visible="going !== null" modal :header="`Delete ${going?.title} for good?`" @update:visible="going = null">
      <form v-if="going" class="sure" @submit.prevent="empty">
        <p v-if="going.delivered">
          Something of it was delivered. Original, ledger and delivery go with it, and nothing brings them back. To do it, type
          <b class="number">{{ going.number }}</b>.
        </p>
        <p v-else>Its files go with it, and nothing brings them back.</p>
        <InputText v-if="going.delivered" v-model="sure" autofocus aria-label="The ticket's number" />
        <div class="acts">
          <Button severity="secondary" label="Leave it" @click="going = null" />
          <Button type="submit" label="Delete" :disabled="going.delivered && sure.trim() !== going.number" />
        </div>
      </form>
    </Dialog>
  </main>
</template>

<style scoped>
.bin { padding: 14px 16px; display: grid; gap: 4px; max-width: 980px; }
.row {
  display: grid; grid-template-columns: 110px minmax(0, 1fr) auto auto auto; gap: 14px; align-items: center; padding: 7px 14px; background: var(--paper);
  border-radius: 3px;
}
p.row { display: block; }
.sure { display: grid; gap: 12px; max-width: 440px; }
.acts { display: flex; justify-content: flex-end; gap: 10px; }
</style>
