<script setup lang="ts">
import { useMediaQuery } from '@vueuse/core'
import Message from 'primevue/message'
import Skeleton from 'primevue/skeleton'
import { onMounted, ref } from 'vue'

import { useSaying } from '../common/useSaying'
import TicketTag from '../parts/TicketTag.vue'
import BenchBar from './BenchBar.vue'
import KeysHelp from './KeysHelp.vue'
import PictureStage from './picture/PictureStage.vue'
import SlipPanel from './SlipPanel.vue'
import StationTabs from './StationTabs.vue'
import StepList from './StepList.vue'
import { provideBench, useBench } from './useBench'
import { useKeys } from './useKeys'

const props = defineProps<{ photo: string }>()
const bench = useBench(props.photo)
provideBench(bench)
const { ledger } = bench
const keysShown = ref(false)
useKeys(bench, () => (keysShown.value = true))
const { sayError } = useSaying()
const failed = ref(false)
/** Below this a hand has no room to work. */
const tooSmall = useMediaQuery('(max-width: 820px)')

onMounted(async () => {
  try {
    await bench.open()
  } catch (error) {
    failed.value = true
    sayError(error)
  }
})
</script>

<template>
  <main v-if="tooSmall" class="loading">
    <Message severity="secondary">
      The bench wants a larger screen: a tablet on its side, or a computer.
      <RouterLink v-if="ledger.page" :to="`/tickets/${ledger.page.ticket.number}`">Back to the ticket</RouterLink>
      <RouterLink v-else to="/">Back to the board</RouterLink>
    </Message>
  </main>
  <div v-else-if="ledger.page && bench.decks.all" class="bench">
    <nav class="corner" aria-label="Ticket">
      <TicketTag :number="ledger.page.ticket.number" :under="ledger.page.ticket.title" :to="`/tickets/${ledger.page.ticket.number}`" />
    </nav>
    <BenchBar class="bar" @keys="keysShown = true" />
    <aside class="paper" aria-label="Slip and steps">
      <SlipPanel class="slip" />
      <div class="tear"></div>
      <StepList class="steps" />
    </aside>
    <PictureStage class="stage" />
    <StationTabs />
    <KeysHelp v-model:visible="keysShown" />
  </div>
  <main v-else-if="failed" class="loading">
    <Message severity="error">This photo could not be opened. <RouterLink to="/">Back to the board</RouterLink></Message>
  </main>
  <main v-else class="opening" role="status" aria-label="Opening the photo">
    <Skeleton width="262px" height="100%" border-radius="0" /><Skeleton width="100%" height="100%" border-radius="0" />
  </main>
</template>

<style scoped>
.bench {
  height: 100%; display: grid; overflow: hidden;
  grid-template: 40px minmax(0, 1fr) 31px 158px / 262px minmax(0, 1fr);
  grid-template-areas: 'tag bar' 'paper stage' 'paper tabs' 'deck deck';
}
@media (max-width: 1200px) { .bench { grid-template-columns: 232px minmax(0, 1fr); grid-template-rows: 40px minmax(0, 1fr) 31px 198px; } }
.corner { grid-area: tag; z-index: 1; min-width: 0; display: grid; }
.bar { grid-area: bar; }
.paper {
  grid-area: paper; background: var(--paper); border-right: 1px solid var(--hairline); overflow: hidden; display: flex;
  flex-direction: column;
}
.slip { flex: 0 1 auto; min-height: 150px; overflow: auto; scrollbar-width: thin; }
.steps { flex: 1 0 168px; min-height: 0; overflow: auto; scrollbar-width: thin; }
.tear { flex: none; margin: 7px 0; }
.stage { grid-area: stage; }
.loading { padding: 30px; display: grid; place-items: center; min-height: 60%; }
.opening { display: flex; height: 100%; gap: 2px; }
</style>
