<script setup lang="ts">
import Button from 'primevue/button'
import Message from 'primevue/message'
import { defineAsyncComponent, ref } from 'vue'
import { useRouter } from 'vue-router'

import { api, asItIs, taken, type Schemas } from '../api/client'
import { droppedFiles } from '../common/dropped'
import { carried } from '../common/carried'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import { emptyOrder, type OrderForm } from '../orders/useOrderForm'
import FileButton from '../parts/FileButton.vue'

/** New tickets: written down, dropped as photos, brought as an order file or as an archive. */
const OrderDialog = defineAsyncComponent(() => import('../orders/OrderDialog.vue'))
const ORDERS = /\.(json|csv)$/i
const ARCHIVE = /\.zip$/i
const emit = defineEmits<{ made: [] }>()
const router = useRouter()
const { say, sayError } = useSaying()
const trying = tryingWith(sayError)
const writing = ref(false)
const begun = ref<OrderForm>(emptyOrder())
/** Photos that were dropped before there was a ticket for them. */
const files = ref<File[]>([])
const result = ref<Schemas['FileTaken'] | null>(null)

function write(title = '', photos: File[] = []) {
  begun.value = { ...emptyOrder(), title }
  files.value = photos
  writing.value = true
}
async function make(order: OrderForm) {
  const body = { ...order, due: order.due.toISOString() }
  const { number } = taken(await api.POST('/api/tickets', { body }))
  say(`${number} is made.`)
  if (files.value.length) carried.give(number, files.value)
  emit('made')
  await router.push(`/tickets/${number}`)
}
const takeFile = (file: File) =>
  trying(async () => {
    const found = taken(await api.POST('/api/orders', asItIs(file)))
    result.value = found
    if (found.made.length) say(`${found.made.length} ${found.made.length === 1 ? 'ticket' : 'tickets'} made.`)
    emit('made')
  })

const takeArchive = (file: File) =>
  trying(async () => {
    const moved = taken(await api.POST('/api/archives', asItIs(file)))
    say(`${moved.number} is here, with ${moved.photos} ${moved.photos === 1 ? 'photo' : 'photos'}.`)
    emit('made')
  })

/** What was dropped on the board: an order file, an archived ticket, or photos of a new one. */
async function drop(transfer: DataTransfer) {
  const { files: found, folder } = await droppedFiles(transfer)
  const orders = found.filter((file) => ORDERS.test(file.name))
  const archives = found.filter((file) => ARCHIVE.test(file.name))
  for (const file of orders) await takeFile(file)
  for (const file of archives) await takeArchive(file)
  const photos = found.filter((file) => !orders.includes(file) && !archives.includes(file))
  if (photos.length) write(folder || (photos[0]?.name ?? '').replace(/\.[^.]*$/, ''), photos)
}
const chosen = ([file]: File[]) => {
  if (file) void (ARCHIVE.test(file.name) ? takeArchive(file) : takeFile(file))
}
defineExpose({ drop, write })
</script>

<template>
  <span class="make">
    <Button label="New ticket" @click="write()" />
    <FileButton
      v-tooltip.bottom="'JSON or CSV with several orders, or the archive of a ticket (ZIP)'" label="From a file" accept=".json,.csv,.zip"
      input-class="orders" @chosen="chosen"
    />
  </span>
  <Message v-if="result?.wrong.length" severity="error" closable class="wrong" @close="result = null">
    {{ result.made.length }} {{ result.made.length === 1 ? 'ticket was' : 'tickets were' }} made.
    Of {{ result.wrong.length }} {{ result.wrong.length === 1 ? 'row none was' : 'rows none were' }}:
    <ul><li v-for="one in result.wrong" :key="one.line">line <b class="number">{{ one.line }}</b>: {{ one.problem }}</li></ul>
  </Message>
  <OrderDialog
    v-if="writing" v-model:visible="writing" :header="files.length ? `New ticket for ${files.length} ${files.length === 1 ? 'photo' : 'photos'}` : 'New ticket'"
    act="Make it" :begun="begun" :keep="make"
  />
</template>

<style scoped>
.make { display: inline-flex; gap: 8px; align-items: center; }
.wrong { flex-basis: 100%; }
.wrong ul { margin: 4px 0 0; padding-left: 18px; }
</style>
