<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { onMounted, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { moment } from '../common/due'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'

/** Ways in: folders and stores that are looked at for a client or a ticket. */
const FOR = [{ value: 'client', label: 'a client' }, { value: 'ticket', label: 'a ticket' }]
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const watches = ref<Schemas['WatchRow'][] | null>(null)
const clients = ref<Schemas['ClientRow'][]>([])
const whose = ref('client')
const client = ref<string | null>(null)
const number = ref('')
const address = ref('')
const user = ref('')
const secret = ref('')

onMounted(() =>
  trying(async () => {
    watches.value = taken(await api.GET('/api/watches'))
    clients.value = taken(await api.GET('/api/clients', { params: { query: { limit: 500 } } })).clients
  }),
)
const add = () =>
  trying(async () => {
    const ofClient = whose.value === 'client'
    const settings = { kind: 'folder' as const, address: address.value, user: user.value, endpoint: '' }
    const body = { client: ofClient ? client.value : null, number: ofClient ? null : number.value, settings, secret: secret.value || null }
    watches.value = taken(await api.POST('/api/watches', { body }))
    address.value = user.value = secret.value = number.value = ''
    say('It is looked at every ten seconds.')
  })
const remove = (watch: string) =>
  trying(async () => {
    watches.value = taken(await api.DELETE('/api/watches/{watch}', { params: { path: { watch } } }))
  })
</script>

<template>
  <aside class="watches" aria-label="Ways in">
    <h2 class="heading">Ways in</h2>
    <p class="soft small">Photos that are put into a watched folder come to their ticket. In a client's folder each folder is a ticket.</p>
    <div v-for="watch in watches ?? []" :key="watch.id" class="one">
      <strong>{{ watch.whose }}</strong> <span class="number address">{{ watch.settings.address }}</span>
      <span class="soft small">
        {{ watch.taken }} came{{ watch.looked_at ? `, looked at ${moment(watch.looked_at)}` : '' }}
        <Button link label="watch no longer" :aria-label="`watch no longer: ${watch.settings.address}`" @click="remove(watch.id)" />
      </span>
      <Message v-if="watch.trouble" severity="error">{{ watch.trouble }}</Message>
      <Message v-if="watch.refused?.length" severity="error">Refused: {{ watch.refused.join('; ') }}</Message>
    </div>
    <form class="form" aria-label="Watch a folder" @submit.prevent="add">
      <SelectButton v-model="whose" :options="FOR" option-label="label" option-value="value" :allow-empty="false" aria-label="For whom" />
      <Select
        v-if="whose === 'client'" v-model="client" :options="clients" option-label="name" option-value="id" filter placeholder="which one"
        aria-label="Client whose folder it is"
      />
      <InputText v-else v-model="number" required placeholder="number of the ticket" aria-label="Number of the ticket" />
      <label>folder or store <InputText v-model="address" required :maxlength="400" placeholder="/mnt/card, s3://bucket/in" /></label>
      <template v-if="address.includes('://')">
        <label>sign-in name or key <InputText v-model="user" autocomplete="off" /></label>
        <label>password or secret key <InputText v-model="secret" type="password" autocomplete="off" /></label>
      </template>
      <Button type="submit" label="Watch it" severity="secondary" class="act" :disabled="whose === 'client' && !client" />
    </form>
  </aside>
</template>

<style scoped>
.watches {
  padding: 14px 12px; background: var(--paper); border-left: 1px solid var(--hairline); overflow: auto;
  display: grid; gap: 10px; align-content: start;
}
.one { display: grid; gap: 2px; padding: 7px 9px; background: var(--sheet); border-radius: 3px; }
.address { overflow-wrap: anywhere; font-weight: 400; }
.form { display: grid; gap: 8px; margin-top: 8px; }
label { display: grid; gap: 3px; font-weight: 600; }
.act { justify-self: start; }
</style>
