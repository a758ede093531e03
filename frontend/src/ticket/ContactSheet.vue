<script setup lang="ts">
import Button from 'primevue/button'
import Menu from 'primevue/menu'
import type { MenuItem } from 'primevue/menuitem'
import Skeleton from 'primevue/skeleton'
import { computed, ref, useTemplateRef } from 'vue'

import type { Schemas } from '../api/client'
import { STAGES } from '../common/stages'

type Photo = Schemas['Photo']
export type PhotoAct = 'words' | 'move' | 'original' | 'material' | 'bin'

/** The photos of a ticket, small and as they stand, with how each stands and what can be done with it as a thing. */
const props = defineProps<{ photos: Photo[]; checks: Schemas['PhotoCheck'][]; lead: boolean; onlyWanted?: boolean }>()
const emit = defineEmits<{ act: [act: PhotoAct, photo: Photo]; arrange: [photos: string[]]; takeOff: [photo: Photo]; again: [photo: Photo] }>()

const DRAGGED = 'application/x-fern-photo'
const menu = useTemplateRef('menu')
const taken = ref<Photo | null>(null)
const dragged = ref<string | null>(null)
const under = ref<string | null>(null)
const checkOf = computed(() => new Map(props.checks.map((check) => [check.photo, check])))
const place = computed(() => props.photos.findIndex((one) => one.id === taken.value?.id))

/** How far it is on its way to the client. */
function stands({ material, stage, steps }: Photo): string {
  if (material) return 'material, not delivered'
  return steps && stage === 'bench' ? `${STAGES.bench}, ${steps} ${steps === 1 ? 'step' : 'steps'}` : STAGES[stage]
}

const items = computed<MenuItem[]>(() => [
  { label: 'Title and request…', command: () => act('words') },
  { label: 'Earlier', disabled: place.value <= 0, command: () => shift(-1) },
  { label: 'Later', disabled: place.value < 0 || place.value >= props.photos.length - 1, command: () => shift(1) },
  { label: 'A better frame came…', command: () => act('original') },
  { label: taken.value?.material ? 'To be delivered again' : 'Material, not delivered', command: () => act('material') },
  { label: 'To another ticket…', visible: props.lead, command: () => act('move') },
  { label: 'Into the bin', command: () => act('bin') },
])
function open(event: Event, photo: Photo) {
  taken.value = photo
  menu.value?.toggle(event)
}
function act(name: PhotoAct) {
  if (taken.value) emit('act', name, taken.value)
}
function shift(by: number) {
  if (taken.value) moved(taken.value.id, place.value + by)
}
/** The photos in their order with one of them put at a place. */
function moved(photo: string, to: number) {
  const order = props.photos.map((one) => one.id).filter((id) => id !== photo)
  order.splice(to, 0, photo)
  emit('arrange', order)
}
function start(event: DragEvent, photo: Photo) {
  event.dataTransfer?.setData(DRAGGED, photo.id)
  dragged.value = photo.id
}
function drop(event: DragEvent, photo: Photo) {
  const own = dragged.value
  dragged.value = under.value = null
  if (!own || own === photo.id) return
  event.preventDefault()
  event.stopPropagation()
  moved(own, props.photos.findIndex((one) => one.id === photo.id))
}
function over(event: DragEvent, photo: Photo) {
  if (!dragged.value) return
  event.preventDefault()
  event.stopPropagation()
  under.value = photo.id
}
</script>

<template>
  <div class="contact">
    <div
      v-for="photo in photos" v-show="!onlyWanted || !photo.material" :key="photo.id" class="card" draggable="true"
      :class="{ under: under === photo.id, material: photo.material }"
      @dragstart="start($event, photo)" @dragend="dragged = under = null" @dragover="over($event, photo)" @drop="drop($event, photo)"
    >
      <component
        :is="photo.state === 'ready' ? 'RouterLink' : 'div'"
        :to="photo.state === 'ready' ? `/photos/${photo.id}` : undefined"
        class="photo"
        :class="photo.state"
        draggable="false"
      >
        <div class="frame">
          <img
            v-if="photo.state === 'ready'" :src="`/api/photos/${photo.id}/small?of=${photo.blob.slice(0, 8)}-${photo.head}`" :alt="photo.title"
            loading="lazy" draggable="false"
          />
          <Skeleton v-else-if="photo.state === 'preparing'" height="100%" aria-label="being prepared" role="status" />
          <div v-else class="problem">
            {{ photo.problem }}
            <div class="ways">
              <Button severity="secondary" label="Try again" @click.prevent="$emit('again', photo)" />
              <Button severity="secondary" label="Take off" @click.prevent="$emit('takeOff', photo)" />
            </div>
          </div>
        </div>
        <div class="caption">
          <span class="number">{{ photo.position }}</span>
          <strong>{{ photo.title }}</strong>
          <span v-if="photo.width" class="number soft size">{{ photo.width }} × {{ photo.height }}</span>
        </div>
        <p v-if="photo.note" class="note">“{{ photo.note }}”</p>
        <p v-for="remark in photo.remarks" :key="remark" class="small soft">{{ remark }}</p>
        <p v-if="photo.state === 'ready'" class="standing" :class="photo.stage">
          {{ stands(photo) }}<span v-if="photo.open_notes" class="soft"> · {{ photo.open_notes }} open {{ photo.open_notes === 1 ? 'note' : 'notes' }}</span>
          <span v-if="photo.holder" class="soft"> · {{ photo.holder }} has it open</span>
        </p>
        <ul v-if="photo.stage === 'returned' && photo.reasons?.length" class="short"><li v-for="reason in photo.reasons" :key="reason">{{ reason }}</li></ul>
        <ul v-else-if="photo.stage === 'bench' && !photo.material && checkOf.get(photo.id)" class="short">
          <li v-for="line in checkOf.get(photo.id)?.short" :key="line">{{ line }}</li>
        </ul>
      </component>
      <Button
        v-if="photo.state !== 'refused'" class="more" severity="secondary" label="⋯" aria-haspopup="menu"
        :aria-label="`What can be done with ${photo.title}`" @click="open($event, photo)"
      />
    </div>
    <Menu ref="menu" :model="items" popup />
  </div>
</template>

<style scoped>
.contact { display: grid; grid-template-columns: repeat(auto-fill, minmax(300px, 1fr)); gap: 12px; }
.card { position: relative; }
.photo { display: block; height: 100%; background: var(--paper); border-radius: 3px; box-shadow: 0 1px 0 var(--rule); padding: 8px; text-decoration: none; }
a.photo:hover { background: var(--sheet); outline: 2px solid var(--fern); outline-offset: -2px; }
.card.material .frame img { opacity: 0.55; }
.card.material .standing { color: var(--soft-ink); font-weight: 400; }
.card.under { box-shadow: -5px 0 0 var(--fern); }
.frame { height: 208px; display: grid; place-items: center; background: var(--deck); }
.frame img { max-width: 100%; max-height: 208px; display: block; }
.frame .problem { padding: 16px; color: var(--short); }
.frame .ways { display: flex; gap: 8px; margin-top: 12px; }
.caption { display: flex; gap: 8px; align-items: baseline; margin-top: 8px; }
.caption strong { min-width: 0; overflow-wrap: anywhere; }
.size { margin-left: auto; font-weight: 400; white-space: nowrap; }
.more { position: absolute; right: 12px; top: 12px; min-width: 28px; padding: 0 4px; }
.note { margin-top: 4px; color: var(--soft-ink); white-space: pre-line; }
.standing { margin-top: 6px; font-weight: 600; }
.standing .soft { font-weight: 400; }
.standing.accepted, .standing.checked { color: var(--deep-fern); }
.standing.returned { color: var(--short); }
.short { margin: 3px 0 0; padding-left: 16px; color: var(--short); }
@media (max-width: 820px) {
  .contact { grid-template-columns: minmax(0, 1fr); }
  .frame, .frame img { height: auto; max-height: none; }
}
</style>
