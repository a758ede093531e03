<script setup lang="ts">
import Button from 'primevue/button'
import { computed, onMounted } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { theBench } from '../../useBench'

const { decks, clean } = theBench()
const specks = clean.specks
const spots = computed(() => specks.spots)
const count = (state: boolean | null) => spots.value?.filter((one) => one.accepted === state).length ?? 0
const now = computed(() => spots.value?.[specks.at])
const none = computed(() => !spots.value?.length)
onMounted(() => {
  if (!spots.value) void specks.find()
})
function look(param: string, value: number) {
  specks.limits[param] = value
  void specks.find()
}
</script>

<template>
  <div class="specks">
    <div class="rulers">
      <Ruler
        v-for="ruler in decks.all?.specks" :key="ruler.param" :ruler="ruler" :value="specks.limits[ruler.param] ?? ruler.rest"
        @settle="look(ruler.param, $event)"
      />
    </div>
    <div class="review" role="status">
      <p v-if="specks.searching">Looking for specks on smooth ground…</p>
      <p v-else-if="!spots">None looked for yet.</p>
      <p v-else-if="none"><b>No specks</b> on smooth ground with this contrast.</p>
      <p v-else>
        <span class="number big">{{ specks.at + 1 }} / {{ spots.length }}</span> · contrast
        <span class="number">{{ Math.round(now?.contrast ?? 0) }}</span> · size <span class="number">{{ Math.round(now?.size ?? 0) }} px</span>
        <span class="small soft"> · {{ count(true) }} accepted, {{ count(false) }} refused, {{ count(null) }} open</span>
      </p>
      <p v-if="specks.inThings.length" class="small">
        <span class="number">{{ specks.inThings.length }}</span> more stand among many like them. Part of the thing?
        <Button severity="secondary" size="small" label="Go through them too" @click="specks.goThroughThings()" />
      </p>
      <p class="acts">
        <Button severity="secondary" :disabled="none" @click="specks.judge(true)">Accept <span class="key" aria-hidden="true">Space</span></Button>
        <Button severity="secondary" :disabled="none" @click="specks.judge(false)">Refuse <span class="key" aria-hidden="true">−</span></Button>
        <Button severity="secondary" :disabled="none" label="◂" aria-label="The speck before" @click="specks.turn(-1)" />
        <Button severity="secondary" :disabled="none" label="▸" aria-label="The next speck" @click="specks.turn(1)" />
        <Button severity="secondary" :disabled="none" @click="specks.take(true)">
          Take out all but the refused <span class="key" aria-hidden="true">Enter</span>
        </Button>
        <Button severity="secondary" :disabled="!count(true) && !count(false)" label="Only the accepted" @click="specks.take(false)" />
        <Button severity="secondary" label="Find again" @click="specks.find()" />
      </p>
    </div>
  </div>
</template>

<style scoped>
.specks { display: grid; grid-template-columns: 240px 1fr; gap: 24px; }
.rulers { display: grid; gap: 5px; align-content: start; }
.review { display: grid; gap: 8px; align-content: start; padding-top: 4px; }
.acts { display: flex; gap: 6px; flex-wrap: wrap; }
.big { font-size: 15px; }
</style>
