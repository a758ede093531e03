<script setup lang="ts">
import AutoComplete, { type AutoCompleteCompleteEvent } from 'primevue/autocomplete'
import Button from 'primevue/button'
import DatePicker from 'primevue/datepicker'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import Message from 'primevue/message'
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, onMounted, ref } from 'vue'

import { said } from '../api/client'
import { tryingWith } from '../common/trying'
import { KINDS, requestLines, requestsOf, useOffers, type OrderForm } from './useOrderForm'

/** A ticket as it is ordered, to be made or to be changed. */
const visible = defineModel<boolean>('visible', { required: true })
const props = defineProps<{ header: string; act: string; begun: OrderForm; changing?: boolean; keep: (order: OrderForm) => Promise<void> }>()

const form = ref<OrderForm>({ ...props.begun })
const requests = ref(requestLines(props.begun.requests))
const offers = useOffers()
const found = ref<string[]>([])
const problem = ref('')
const busy = ref(false)
const client = computed(() => offers.clients.find((one) => one.name.toLowerCase() === form.value.client.trim().toLowerCase()))
const unusual = computed(() => !props.changing && !form.value.slip && !client.value?.slip)

const trying = tryingWith((error) => (problem.value = said(error)))
onMounted(() => trying(offers.load))
/** Whether the client is being written: who has gone on to the next field is not followed by a list over it. */
const naming = ref(false)
function complete({ query }: AutoCompleteCompleteEvent) {
  const wanted = query.trim().toLowerCase()
  found.value = !naming.value ? [] : offers.clients.map((one) => one.name).filter((name) => name.toLowerCase().includes(wanted)).slice(0, 12)
}
async function keepIt() {
  busy.value = true
  problem.value = ''
  await trying(async () => {
    await props.keep({ ...form.value, client: form.value.client.trim(), requests: requestsOf(requests.value) })
    visible.value = false
  })
  busy.value = false
}
</script>

<template>
  <Dialog v-model:visible="visible" modal :header="header" class="order">
    <form class="form" @submit.prevent="keepIt" @keydown.esc="$event.defaultPrevented && $event.stopPropagation()">
      <label class="wide">title <InputText v-model="form.title" required :maxlength="120" autofocus /></label>
      <label>client
        <AutoComplete
          v-model="form.client" :suggestions="found" input-id="order-client" required :maxlength="120" dropdown :show-empty-message="false"
          @complete="complete" @focus="naming = true" @blur="naming = false"
        />
      </label>
      <label>kind <Select v-model="form.kind" :options="[...KINDS]" aria-label="Kind" /></label>
      <label>due
        <DatePicker v-model="form.due" show-time hour-format="24" date-format="d M yy" :step-minute="15" show-icon icon-display="input" />
      </label>
      <template v-if="!changing">
        <label>slip
          <Select
            v-model="form.slip" :options="offers.slips" :placeholder="client?.slip ? `usual: ${client.slip}` : 'choose one'" show-clear
            aria-label="Slip"
          />
        </label>
        <label>ways out
          <MultiSelect
            v-model="form.ways" :options="offers.ways" option-label="name" option-value="name" placeholder="the client's usual one"
            aria-label="Ways out"
          />
        </label>
        <label>who works on it
          <MultiSelect
            v-model="form.editors" :options="offers.people" option-label="name" option-value="sign_in" placeholder="nobody yet" filter
            aria-label="Who works on it"
          />
        </label>
      </template>
      <label class="wide">brief
        <Textarea v-model="form.brief" rows="4" :maxlength="8000" placeholder="What the client wants gone, and what must stay" />
      </label>
      <label class="wide">for single photos
        <Textarea v-model="requests" rows="3" placeholder="file name: what is wanted, a line each" />
      </label>
      <Message v-if="client?.taste" severity="secondary" class="wide">{{ client.name }}: {{ client.taste }}</Message>
      <Message v-if="offers.slips.length === 0 && unusual" severity="secondary" class="wide">
        There is no slip yet. <Button class="within" link label="Take the library of eight" @click="(problem = ''), trying(offers.takeLibrary)" />,
        or <RouterLink to="/slips">write one</RouterLink> first.
      </Message>
      <p v-if="problem" class="wide problem" role="alert">{{ problem }}</p>
      <div class="wide acts">
        <Button severity="secondary" label="Leave it" @click="visible = false" />
        <Button type="submit" :label="act" :loading="busy" />
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.form { display: grid; grid-template-columns: 1fr 1fr; gap: 10px 14px; width: min(620px, 86vw); }
.form label { display: grid; gap: 3px; font-weight: 600; min-width: 0; }
.form label > * { font-weight: 400; width: 100%; }
.wide { grid-column: 1 / 3; }
.problem { color: var(--short); }
.within { display: inline; padding: 0; }
.acts { display: flex; justify-content: flex-end; gap: 10px; }
@media (max-width: 620px) { .form { grid-template-columns: 1fr; } .wide { grid-column: 1; } }
</style>
