<script setup lang="ts">
import Button from 'primevue/button'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'

import TicketTag from '../parts/TicketTag.vue'
import { useSaying } from '../useSaying'
import BalanceDeck from './decks/BalanceDeck.vue'
import CheckDeck from './decks/CheckDeck.vue'
import CleanDeck from './decks/CleanDeck.vue'
import FinishDeck from './decks/FinishDeck.vue'
import FrameDeck from './decks/FrameDeck.vue'
import KeysHelp from './KeysHelp.vue'
import PictureStage from './PictureStage.vue'
import SlipPanel from './SlipPanel.vue'
import StationTabs from './StationTabs.vue'
import StepList from './StepList.vue'
import { LAMPS, provideBench, useBench } from './useBench'
import { useKeys } from './useKeys'
import { useWalkover } from './useWalkover'

const props = defineProps<{ photo: string }>()
const bench = useBench(props.photo)
const walkover = useWalkover(bench)
provideBench(bench, walkover)
useKeys(bench, walkover)
const router = useRouter()
const { sayError } = useSaying()
const failed = ref(false)

onMounted(async () => {
  try {
    await bench.load()
    bench.look()
    void bench.propose()
  } catch (error) {
    failed.value = true
    sayError(error)
  }
})

const siblings = computed(() => bench.page.value?.siblings ?? [])
const place = computed(() => siblings.value.findIndex((p) => p.id === props.photo))
const decks = { frame: FrameDeck, balance: BalanceDeck, clean: CleanDeck, finish: FinishDeck, check: CheckDeck }

function prove(way: 'wipe' | 'pair') {
  bench.proof.value = bench.proof.value === way ? 'none' : way
}

function go(by: number) {
  const next = siblings.value[place.value + by]
  if (next) void router.push(`/photos/${next.id}`)
}

function turnPage(event: KeyboardEvent) {
  if (event.key !== 'PageUp' && event.key !== 'PageDown') return
  event.preventDefault()
  go(event.key === 'PageDown' ? 1 : -1)
}
function releaseOriginal() {
  bench.original.value = false
}
onMounted(() => {
  window.addEventListener('pointerup', releaseOriginal)
  window.addEventListener('keydown', turnPage)
})
onBeforeUnmount(() => {
  window.removeEventListener('pointerup', releaseOriginal)
  window.removeEventListener('keydown', turnPage)
})
</script>

<template>
  <div v-if="bench.page.value" class="bench">
    <TicketTag
      class="tag"
      :number="bench.page.value.ticket.number"
      :under="bench.page.value.ticket.title"
      :to="`/tickets/${bench.page.value.ticket.number}`"
    />
    <header class="bar">
      <button class="plain step" type="button" aria-label="Previous photo" title="Page Up" :disabled="place <= 0" @click="go(-1)">◂</button>
      <span class="number">{{ place + 1 }} / {{ siblings.length }}</span>
      <button class="plain step" type="button" aria-label="Next photo" title="Page Down" :disabled="place >= siblings.length - 1" @click="go(1)">▸</button>
      <span class="title">{{ bench.page.value.photo.title }}</span>
      <span class="grow"></span>
      <span v-if="!bench.connected.value" class="lost" role="status">connecting…</span>
      <span v-else class="soft saved" role="status" :aria-label="bench.saving.value ? 'saving' : 'all saved'" :title="bench.saving.value ? 'saving' : 'all saved'">{{ bench.saving.value ? '…' : '✓' }}</span>
      <div class="group" role="group" aria-label="Lamps">
        <button v-for="one in LAMPS" :key="one.name" class="plain lamp" type="button" :aria-pressed="bench.lamp.value === one.name" :title="`${one.name} lamp (key ${one.key.toUpperCase()})`" @click="bench.light(one.name)">{{ one.name }}</button>
      </div>
      <div class="group" role="group" aria-label="Proof">
        <button class="plain" type="button" :aria-pressed="bench.original.value" title="The photo as it came, while held (hold O)" @pointerdown="bench.original.value = true">original</button>
        <button class="plain" type="button" :aria-pressed="bench.proof.value === 'wipe'" title="A line to wipe between both (key W)" :disabled="bench.whole.value" @click="prove('wipe')">wipe</button>
        <button class="plain" type="button" :aria-pressed="bench.proof.value === 'pair'" title="Both side by side (key B)" :disabled="bench.whole.value" @click="prove('pair')">pair</button>
        <button class="plain" type="button" title="The size that the buyer sees (key 3)" @click="bench.buyersSize()">buyer's</button>
        <button class="plain" type="button" :aria-pressed="walkover.on.value" title="Go through the photo at 100 %, window by window (key K)" @click="walkover.toggle()">walkover</button>
      </div>
      <button class="plain ask" type="button" aria-label="All keys" title="All keys (?)" @click="bench.help.value = true">?</button>
      <Button label="Hand over" @click="bench.station.value = 'check'" />
    </header>
    <aside class="paper">
      <SlipPanel class="slip" />
      <div class="tear"></div>
      <StepList class="steps" />
    </aside>
    <PictureStage class="stage" />
    <StationTabs class="tabs" />
    <section class="place" role="tabpanel" :aria-label="bench.station.value">
      <component :is="decks[bench.station.value]" />
    </section>
    <KeysHelp v-model:visible="bench.help.value" />
  </div>
  <main v-else class="loading">
    <p v-if="failed">This photo could not be opened. <RouterLink to="/">Back to the board</RouterLink></p>
    <p v-else>Opening the photo…</p>
  </main>
</template>

<style scoped>
.bench {
  height: 100%; display: grid; overflow: hidden;
  grid-template: 40px minmax(0, 1fr) 31px 156px / 262px minmax(0, 1fr);
  grid-template-areas: 'tag bar' 'paper stage' 'paper tabs' 'deck deck';
}
.tag { grid-area: tag; z-index: 1; }
.bar { grid-area: bar; display: flex; align-items: center; gap: 8px; padding: 0 12px 0 14px; background: var(--bar); border-bottom: 1px solid var(--hairline); white-space: nowrap; }
.step { padding: 0 7px; }
.title { font-weight: 600; overflow: hidden; text-overflow: ellipsis; }
.grow { flex: 1 1 0; }
.saved { width: 14px; text-align: center; }
.lost { color: var(--short); font-weight: 600; }
.group { display: flex; }
.group .plain { border-radius: 0; padding: 0 7px; }
.group .plain + .plain { margin-left: -1px; }
.group .plain:first-child { border-radius: 3px 0 0 3px; }
.group .plain:last-child { border-radius: 0 3px 3px 0; }
.group .plain[aria-pressed='true'] { position: relative; z-index: 1; }
.lamp::before { content: ''; display: inline-block; width: 7px; height: 7px; margin-right: 5px; border: 1.3px solid var(--soft-ink); border-radius: 50%; }
.lamp[aria-pressed='true']::before { background: var(--fern); border-color: var(--fern); }
.ask { padding: 0 8px; }
.paper { grid-area: paper; background: var(--paper); border-right: 1px solid var(--hairline); overflow: hidden; display: flex; flex-direction: column; }
.slip { flex: 0 1 auto; min-height: 150px; overflow: auto; }
.steps { flex: 1 0 168px; min-height: 0; overflow: auto; }
.tear { flex: none; height: 6px; margin: 7px 0; background: radial-gradient(circle 3px, var(--bench) 98%, transparent) 0 0 / 12px 6px; }
.stage { grid-area: stage; }
.tabs { grid-area: tabs; }
.place { grid-area: deck; background: var(--deck); border-top: 1px solid var(--rule); overflow: auto; }
.loading { padding: 40px; }
</style>
