<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import FileUpload, { type FileUploadUploaderEvent } from 'primevue/fileupload'
import InputText from 'primevue/inputtext'
import Textarea from 'primevue/textarea'
import { ref } from 'vue'

import { api, asItIs, taken, type Schemas } from '../api/client'

type Act = 'words' | 'move' | 'original'

/** What is done with one photo as a thing: its words, another ticket for it, another original. */
const props = defineProps<{ number: string; act: (work: () => Promise<unknown>) => Promise<void> }>()
const photo = ref<Schemas['Photo'] | null>(null)
const what = ref<Act>('words')
const title = ref('')
const note = ref('')
const to = ref('')
const HEADERS: Record<Act, string> = { words: 'Title and request', move: 'To another ticket', original: 'A better frame came' }

defineExpose({
  open(act: Act, one: Schemas['Photo']) {
    what.value = act
    photo.value = one
    title.value = one.title
    note.value = one.note
    to.value = ''
  },
})
async function done(work: (path: { photo: string }) => Promise<unknown>) {
  if (!photo.value) return
  const path = { photo: photo.value.id }
  await props.act(async () => {
    await work(path)
    photo.value = null
  })
}
const keep = () =>
  done(async (path) =>
    what.value === 'move'
      ? taken(await api.POST('/api/photos/{photo}/move', { params: { path }, body: { number: to.value.trim() } }))
      : taken(await api.PATCH('/api/photos/{photo}', { params: { path }, body: { title: title.value, note: note.value } })),
  )
const replace = ({ files }: FileUploadUploaderEvent) =>
  done(async (path) => {
    const body = new FormData()
    const file = [files].flat()[0]
    if (!file) return
    body.append('file', file)
    taken(await api.POST('/api/photos/{photo}/original', { params: { path }, ...asItIs(body) }))
  })
</script>

<template>
  <Dialog :visible="photo !== null" modal :header="`${photo?.title}: ${HEADERS[what].toLowerCase()}`" @update:visible="photo = null">
    <form class="form" @submit.prevent="keep">
      <template v-if="what === 'words'">
        <label>title <InputText v-model="title" required :maxlength="120" autofocus /></label>
        <label>what is wanted of it <Textarea v-model="note" rows="3" :maxlength="2000" /></label>
      </template>
      <label v-else-if="what === 'move'">number of the ticket <InputText v-model="to" required :maxlength="40" autofocus /></label>
      <template v-else>
        <p>
          Another original of {{ photo?.width }} × {{ photo?.height }} pixels takes the place of this one. Every step stays, and is made anew over it.
          What was delivered stays as it is.
        </p>
        <FileUpload
          mode="basic" custom-upload auto choose-label="Choose the better frame" :pt="{ input: { 'aria-hidden': true, tabindex: -1, class: 'better' } }"
          @uploader="replace"
        >
          <template #chooseicon><span hidden></span></template>
        </FileUpload>
      </template>
      <div class="acts">
        <Button severity="secondary" label="Leave it" @click="photo = null" />
        <Button v-if="what !== 'original'" type="submit" :label="what === 'move' ? 'Move it' : 'Keep'" />
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.form { display: grid; gap: 12px; width: min(420px, 86vw); }
label { display: grid; gap: 3px; font-weight: 600; }
label > * { font-weight: 400; }
.acts { display: flex; justify-content: flex-end; gap: 10px; }
</style>
