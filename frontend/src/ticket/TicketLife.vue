<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import Menu from 'primevue/menu'
import type { MenuItem } from 'primevue/menuitem'
import Textarea from 'primevue/textarea'
import { computed, ref, useTemplateRef } from 'vue'
import { useRouter } from 'vue-router'

import { api, taken, type Schemas } from '../api/client'
import { tryingWith } from '../common/trying'
import { useAsking } from '../common/useAsking'
import { useSaying } from '../common/useSaying'
import OrderDialog from '../orders/OrderDialog.vue'
import { emptyOrder, usualDue, type OrderForm } from '../orders/useOrderForm'

/** A ticket's life: changed, copied, on hold, closed, open again, put away. */
const props = defineProps<{ page: Schemas['TicketPage']; act: (work: () => Promise<unknown>) => Promise<void> }>()
const path = { number: props.page.ticket.number }
const router = useRouter()
const asking = useAsking()
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const menu = useTemplateRef('menu')
const writing = ref<'change' | 'copy' | null>(null)
const visible = computed({ get: () => writing.value !== null, set: (on) => { if (!on) writing.value = null } })
const stopping = ref<'on_hold' | 'closed' | null>(null)
const reason = ref('')
const ticket = computed(() => props.page.ticket)

const begun = computed<OrderForm>(() => {
  const { title, client, kind, brief, due_at, requests } = ticket.value
  const due = writing.value === 'copy' ? usualDue() : new Date(due_at)
  return { ...emptyOrder(), title, client, kind, brief, requests: requests ?? [], due }
})
const items = computed<MenuItem[]>(() => [
  { label: 'Copy…', command: () => { writing.value = 'copy' } },
  { label: 'Put on hold…', visible: ticket.value.state === 'open', command: () => stop('on_hold') },
  { label: 'Close…', visible: ticket.value.state !== 'closed', command: () => stop('closed') },
  { label: 'Open again', visible: ticket.value.state !== 'open', command: () => void set('open') },
  { label: 'Take out as an archive', command: () => location.assign(`/api/tickets/${encodeURIComponent(path.number)}/archive.zip`) },
  { label: 'Into the bin', command: putAway },
])
function stop(state: 'on_hold' | 'closed') {
  reason.value = ''
  stopping.value = state
}
const set = (state: 'open' | 'on_hold' | 'closed') =>
  props.act(async () => {
    taken(await api.PUT('/api/tickets/{number}/state', { params: { path }, body: { state, reason: reason.value } }))
    stopping.value = null
    reason.value = ''
  })
async function keep(order: OrderForm) {
  const { title, client, kind, brief, requests } = order
  const due = order.due.toISOString()
  if (writing.value === 'copy') {
    const made = taken(await api.POST('/api/tickets/{number}/copy', { params: { path }, body: { title, due } }))
    taken(await api.PATCH('/api/tickets/{number}', { params: { path: made }, body: { client, kind, brief, requests } }))
    say(`${made.number} is made.`)
    await router.push(`/tickets/${made.number}`)
    return
  }
  taken(await api.PATCH('/api/tickets/{number}', { params: { path }, body: { title, client, kind, brief, due, requests } }))
  await props.act(async () => undefined)
}
function putAway() {
  asking(
    `${ticket.value.number} into the bin?`,
    'Its photos and ledgers go with it; those who lead can bring it back.',
    'Into the bin',
    () =>
      trying(async () => {
        taken(await api.DELETE('/api/tickets/{number}', { params: { path } }))
        say(`${ticket.value.number} lies in the bin.`)
        await router.push('/')
      }),
  )
}
</script>

<template>
  <Button severity="secondary" label="Change" @click="writing = 'change'" />
  <Button severity="secondary" label="More" aria-haspopup="menu" aria-label="More that can be done with this ticket" @click="menu?.toggle($event)" />
  <Menu ref="menu" :model="items" popup />
  <OrderDialog
    v-if="writing" v-model:visible="visible" :header="writing === 'copy' ? `Another like ${ticket.number}` : ticket.number"
    :act="writing === 'copy' ? 'Make it' : 'Keep'" changing :begun="begun" :keep="keep"
  />
  <Dialog
    :visible="stopping !== null" modal :header="stopping === 'closed' ? `Close ${ticket.number}` : `Put ${ticket.number} on hold`"
    @update:visible="stopping = null"
  >
    <form class="stop" @submit.prevent="stopping && set(stopping)">
      <label>why <Textarea v-model="reason" rows="2" :maxlength="500" :required="stopping === 'on_hold'" autofocus /></label>
      <div class="acts">
        <Button severity="secondary" label="Leave it" @click="stopping = null" />
        <Button type="submit" :label="stopping === 'closed' ? 'Close it' : 'Put it on hold'" />
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.stop { display: grid; gap: 12px; width: min(400px, 86vw); }
label { display: grid; gap: 3px; font-weight: 600; }
.acts { display: flex; justify-content: flex-end; gap: 10px; }
</style>
