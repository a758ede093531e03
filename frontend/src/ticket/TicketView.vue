<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { dueText, isPressing } from '../parts/due'
import PageHead from '../parts/PageHead.vue'
import { useSaying } from '../useSaying'

const props = defineProps<{ number: string }>()
const page = ref<Schemas['TicketPage'] | null>(null)
const refused = ref<{ name: string; problem: string }[]>([])
const bringing = ref(0)
const over = ref(false)
const failed = ref(false)
const picker = useTemplateRef<HTMLInputElement>('picker')
const { sayError, say } = useSaying()
let timer: ReturnType<typeof setTimeout> | undefined

async function load() {
  clearTimeout(timer)
  try {
    page.value = taken(await api.GET('/api/tickets/{number}', { params: { path: { number: props.number } } }))
    failed.value = false
  } catch (error) {
    failed.value = true
    return sayError(error)
  }
  const moving = page.value.photos.some((p) => p.state === 'preparing' || ['waiting', 'rendering', 'delivering'].includes(p.hand_over ?? ''))
  if (moving) timer = setTimeout(load, 700)
}
onMounted(load)
onBeforeUnmount(() => clearTimeout(timer))

async function bring(files: Iterable<File>) {
  const list = [...files]
  bringing.value += list.length
  for (const file of list) {
    try {
      const form = new FormData()
      form.append('files', file, file.name)
      const path = { number: props.number }
      const answer = taken(await api.POST('/api/tickets/{number}/photos', { params: { path }, body: form as never, bodySerializer: (body) => body as never }))
      for (const one of answer) {
        if (one.problem) refused.value.unshift({ name: one.name, problem: one.problem })
        else if (one.already_there) say(`${one.name} is on this ticket already.`)
      }
    } catch (error) {
      sayError(error)
    }
    bringing.value -= 1
    await load()
  }
}

function dropped(event: DragEvent) {
  over.value = false
  void bring(event.dataTransfer?.files ?? [])
}

async function takeOff(photo: Schemas['Photo']) {
  await api.DELETE('/api/photos/{photo}', { params: { path: { photo: photo.id } } })
  await load()
}

const handOverWords: Record<string, string> = {
  waiting: 'waits for delivery', rendering: 'being rendered', delivering: 'on its way to the desk',
  accepted: 'accepted by the desk', returned: 'returned by the desk', failed: 'hand-over failed', cancelled: 'hand-over cancelled',
}
</script>

<template>
  <PageHead :number="number" to="/" :title="page?.ticket.title ?? ''" :under="page?.ticket.client" />
  <main v-if="page" class="ticket">
    <aside class="paper">
      <h2 class="heading">Brief</h2>
      <p class="brief">{{ page.ticket.brief }}</p>
      <p class="row"><span>due</span><span class="number" :class="{ pressing: isPressing(page.ticket.due_at) }">{{ dueText(page.ticket.due_at) }}</span></p>
      <div class="tear"></div>
      <h2 class="heading">Slip · {{ page.slip_name }}</h2>
      <p v-for="line in page.asks" :key="line.what" class="row"><span>{{ line.what }}</span><span class="number">{{ line.asks }}</span></p>
    </aside>
    <section class="sheet" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="dropped">
      <div class="tools">
        <span>{{ page.photos.length }} photos</span>
        <span v-if="bringing" class="soft" role="status">bringing {{ bringing }}…</span>
        <button class="plain" type="button" @click="picker?.click()">Bring photos</button>
        <span class="soft small">or drop JPEG, PNG, TIFF or raw files here</span>
        <input ref="picker" class="visually-hidden" type="file" multiple aria-label="Bring photos" tabindex="-1" @change="bring((($event.target as HTMLInputElement).files ?? [])); ($event.target as HTMLInputElement).value = ''" />
      </div>
      <div v-for="(one, index) in refused" :key="index" class="refused" role="alert">
        <strong>{{ one.name }}</strong> <span>{{ one.problem }}</span>
        <button class="plain" type="button" @click="refused.splice(index, 1)">Noted</button>
      </div>
      <p v-if="page.photos.length === 0" class="empty">No photos yet. Drop them here.</p>
      <div class="contact">
        <component
          :is="photo.state === 'ready' ? 'RouterLink' : 'div'"
          v-for="photo in page.photos"
          :key="photo.id"
          :to="photo.state === 'ready' ? `/photos/${photo.id}` : undefined"
          class="photo"
          :class="photo.state"
        >
          <div class="frame">
            <img v-if="photo.state === 'ready'" :src="`/api/photos/${photo.id}/thumbnail`" :alt="photo.title" />
            <span v-else-if="photo.state === 'preparing'" class="soft">being prepared…</span>
            <span v-else class="problem">{{ photo.problem }}</span>
          </div>
          <div class="caption">
            <span class="number">{{ photo.position }}</span>
            <strong>{{ photo.title }}</strong>
            <span v-if="photo.width" class="number soft size">{{ photo.width }} × {{ photo.height }}</span>
            <button v-if="photo.state === 'refused'" class="plain" type="button" @click.prevent="takeOff(photo)">Take off</button>
          </div>
          <p v-if="photo.note" class="note">“{{ photo.note }}”</p>
          <p v-for="remark in photo.remarks" :key="remark" class="small soft">{{ remark }}</p>
          <p class="standing" :class="photo.hand_over">
            {{ photo.hand_over ? handOverWords[photo.hand_over] : photo.steps ? `on the bench, ${photo.steps} steps` : photo.state === 'ready' ? 'waiting' : '' }}
          </p>
        </component>
      </div>
    </section>
  </main>
  <main v-else class="loading">
    <p v-if="failed">This ticket could not be loaded. <button class="plain" type="button" @click="load">Try again</button></p>
    <p v-else>Loading the ticket…</p>
  </main>
</template>

<style scoped>
.ticket { display: grid; grid-template-columns: 262px minmax(0, 1fr); height: calc(100% - 40px); }
.paper { background: var(--paper); padding: 14px 12px; border-right: 1px solid var(--hairline); overflow: auto; }
.brief { margin: 8px 0 12px; }
.row { display: flex; justify-content: space-between; gap: 8px; padding: 4px 0; }
.row .number { text-align: right; }
.tear { height: 6px; margin: 14px -12px; background: radial-gradient(circle 3px, var(--bench) 98%, transparent) 0 0 / 12px 6px; }
.sheet { padding: 12px 16px; overflow: auto; }
.sheet.over { outline: 3px dashed var(--fern); outline-offset: -8px; }
.tools { display: flex; align-items: center; gap: 12px; margin-bottom: 12px; }
.contact { display: grid; grid-template-columns: repeat(auto-fill, minmax(300px, 1fr)); gap: 12px; }
.photo { display: block; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); padding: 8px; text-decoration: none; }
a.photo:hover { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.frame { height: 208px; display: grid; place-items: center; background: var(--deck); }
.frame img { max-width: 100%; max-height: 208px; display: block; }
.frame .problem { padding: 16px; color: var(--short); }
.caption { display: flex; gap: 8px; align-items: baseline; margin-top: 8px; }
.size { margin-left: auto; font-weight: 400; }
.note { margin-top: 4px; color: var(--soft-ink); }
.standing { margin-top: 6px; font-weight: 600; }
.standing.accepted { color: var(--deep-fern); }
.standing.returned, .standing.failed { color: var(--short); }
.refused { display: flex; gap: 10px; align-items: center; margin-bottom: 8px; padding: 8px 10px; background: var(--short-ground); color: var(--short); border-radius: 3px; }
.refused .plain { margin-left: auto; color: var(--ink); }
.empty, .loading { padding: 40px; }
.pressing { color: var(--short); }
</style>
