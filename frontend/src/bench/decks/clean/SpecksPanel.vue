<script setup lang="ts">
import { computed, onMounted } from 'vue'

import Ruler from '../../../parts/Ruler.vue'
import { theBench } from '../../useBench'

const bench = theBench()
const specks = bench.clean.specks
const spots = computed(() => specks.spots.value)
const count = (state: boolean | null) => computed(() => spots.value?.filter((one) => one.accepted === state).length ?? 0)
const accepted = count(true)
const refused = count(false)
const open = count(null)
onMounted(() => {
  if (!spots.value) void specks.find()
})
</script>

<template>
  <div class="specks">
    <div class="rulers">
      <Ruler name="least contrast" :value="specks.limits.value.contrast" :low="4" :high="60" :rest="12" unit="/255" @settle="(specks.limits.value.contrast = $event), specks.find()" />
      <Ruler name="largest" :value="specks.limits.value.largest" :low="4" :high="120" :rest="40" unit="px" @settle="(specks.limits.value.largest = $event), specks.find()" />
    </div>
    <div class="review" role="status">
      <p v-if="specks.searching.value">Looking for specks on smooth ground…</p>
      <p v-else-if="!spots">None looked for yet.</p>
      <p v-else-if="spots.length === 0"><b>No specks</b> on smooth ground with this contrast.</p>
      <template v-else>
        <p><span class="number big">{{ specks.at.value + 1 }} / {{ spots.length }}</span> · contrast <span class="number">{{ Math.round(spots[specks.at.value]?.contrast ?? 0) }}</span> · size <span class="number">{{ Math.round(spots[specks.at.value]?.size ?? 0) }} px</span></p>
        <p class="small soft">{{ accepted }} accepted, {{ refused }} refused, {{ open }} open</p>
      </template>
      <p class="acts">
        <button class="plain" type="button" :disabled="!spots?.length" @click="specks.judge(true)">Accept <span class="key">Space</span></button>
        <button class="plain" type="button" :disabled="!spots?.length" @click="specks.judge(false)">Refuse <span class="key">−</span></button>
        <button class="plain" type="button" :disabled="!spots?.length" @click="specks.turn(-1)">◂</button>
        <button class="plain" type="button" :disabled="!spots?.length" @click="specks.turn(1)">▸</button>
        <button class="plain" type="button" :disabled="!spots?.length" @click="specks.take(true)">Take out all but the refused <span class="key">Enter</span></button>
        <button class="plain" type="button" :disabled="!accepted" @click="specks.take(false)">Only the accepted</button>
        <button class="plain" type="button" @click="specks.find()">Find again</button>
      </p>
    </div>
  </div>
</template>

<style scoped>
.specks { display: grid; grid-template-columns: 300px 1fr; }
.rulers { display: grid; gap: 6px; align-content: start; padding: 8px 18px; border-right: 1px solid var(--hairline); }
.review { display: grid; gap: 6px; align-content: start; padding: 10px 18px; }
.acts { display: flex; gap: 6px; flex-wrap: wrap; }
.key { font: 500 12px var(--mono); color: var(--soft-ink); }
.big { font-size: 15px; }
p { margin: 0; }
</style>
