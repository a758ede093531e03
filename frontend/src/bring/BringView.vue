<script setup lang="ts">
import Button from 'primevue/button'
import FileUpload, { type FileUploadUploaderEvent } from 'primevue/fileupload'
import Message from 'primevue/message'
import ProgressBar from 'primevue/progressbar'
import { onMounted, ref } from 'vue'

import { api, said, taken, type Schemas } from '../api/client'
import { dueText } from '../common/due'
import { useIntake } from '../common/useIntake'
import PageHead from '../parts/PageHead.vue'

/** The client's page to bring photos. */
const props = defineProps<{ token: string }>()
const page = ref<Schemas['BringPage'] | null>(null)
const trouble = ref('')
const over = ref(false)
const intake = useIntake(`/api/bring/${encodeURIComponent(props.token)}`, load)

async function load() {
  try {
    page.value = taken(await api.GET('/api/bring/{token}', { params: { path: { token: props.token } } }))
    trouble.value = ''
  } catch (error) {
    trouble.value = said(error)
  }
}
onMounted(load)
async function dropped(event: DragEvent) {
  over.value = false
  if (event.dataTransfer?.types.includes('Files')) await intake.dropped(event.dataTransfer)
}
const chosen = ({ files }: FileUploadUploaderEvent) => void intake.bring([files].flat())
const size = (bytes: number) => (bytes > 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${Math.round(bytes / 1e6)} MB`)
</script>

<template>
  <PageHead number="FERN TICKET" :title="page?.title ?? ''" :under="page?.client" outside />
  <main class="bring">
    <Message v-if="trouble" severity="error">{{ trouble }}</Message>
    <template v-if="page">
      <div class="place" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="dropped">
        <p>Drop photos or a folder here.</p>
        <FileUpload
          mode="basic" custom-upload auto multiple choose-label="Choose photos" :pt="{ input: { 'aria-hidden': true, tabindex: -1, class: 'files' } }"
          @uploader="chosen"
        >
          <template #chooseicon><span hidden></span></template>
        </FileUpload>
        <p class="soft small">Until {{ dueText(page.ends_at) }}; room for {{ size(page.room) }} more. They come in parts: a lost connection costs nothing.</p>
      </div>
      <p v-for="file in intake.files.value" :key="file.key" class="file" :class="file.state" role="status">
        <strong>{{ file.name }}</strong>
        <ProgressBar v-if="file.state === 'coming'" :value="(100 * file.sent) / file.size" :aria-label="`${file.name} is coming`" />
        <span v-else>{{ file.says }}</span>
        <Button v-if="file.state === 'stopped'" severity="secondary" label="Go on" @click="intake.again(file)" />
      </p>
    </template>
  </main>
</template>

<style scoped>
.bring { padding: 16px; display: grid; gap: 6px; max-width: 760px; margin: 0 auto; }
.place { display: grid; justify-items: center; gap: 12px; padding: 60px 20px; background: var(--paper); border: 2px dashed var(--rule); border-radius: 3px; }
.place.over { border-color: var(--fern); background: var(--sheet); }
.file {
  display: grid; grid-template-columns: minmax(0, 1fr) minmax(0, 1fr) auto; gap: 14px; align-items: center;
  padding: 6px 14px; background: var(--paper); border-radius: 3px;
}
.file.refused, .file.stopped { color: var(--short); }
</style>
