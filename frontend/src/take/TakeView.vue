<script setup lang="ts">
import Button from 'primevue/button'
import Message from 'primevue/message'
import { onMounted, ref } from 'vue'

import { api, said, taken, type Schemas } from '../api/client'
import { dueText } from '../common/due'
import PageHead from '../parts/PageHead.vue'

/** The receiver's page: what was made, to be taken file by file or all at once. */
const props = defineProps<{ token: string }>()
const page = ref<Schemas['TakePage'] | null>(null)
const trouble = ref('')
onMounted(async () => {
  try {
    page.value = taken(await api.GET('/api/take/{token}', { params: { path: { token: props.token } } }))
  } catch (error) {
    trouble.value = said(error)
  }
})
const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(2)} MB`
</script>

<template>
  <PageHead :number="page?.number ?? 'FERN TICKET'" :title="page?.title ?? ''" :under="page?.client" outside />
  <main class="take">
    <Message v-if="trouble" severity="error">{{ trouble }}</Message>
    <template v-else-if="page">
      <p v-if="page.files.length === 0" class="card">Nothing was handed over yet. The page shows it as soon as it is.</p>
      <div v-else class="card top">
        <span>{{ page.files.length }} {{ page.files.length === 1 ? 'photo' : 'photos' }}, until {{ dueText(page.ends_at) }}</span>
        <Button as="a" label="Everything as ZIP" :href="`/api/take/${token}/all.zip`" />
      </div>
      <a v-for="file in page.files" :key="file.hand_over" class="card file" :href="`/api/take/${token}/files/${file.hand_over}`" download>
        <strong>{{ file.photo }}</strong> <span class="number">{{ file.file_name }}</span> <span class="number soft">{{ megabytes(file.bytes) }}</span>
      </a>
    </template>
  </main>
</template>

<style scoped>
.take { padding: 16px; display: grid; gap: 6px; max-width: 760px; margin: 0 auto; }
.card { padding: 9px 14px; background: var(--paper); border-radius: 3px; }
.top { display: flex; justify-content: space-between; align-items: center; margin-bottom: 6px; }
.file { display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1.2fr) auto; gap: 14px; text-decoration: none; }
.file:hover { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.number { overflow-wrap: anywhere; }
</style>
