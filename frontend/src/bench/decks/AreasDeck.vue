<script setup lang="ts">
import Button from 'primevue/button'
import SelectButton from 'primevue/selectbutton'
import ToggleButton from 'primevue/togglebutton'
import { computed, ref } from 'vue'

import type { Schemas } from '../../api/client'
import Ruler from '../../parts/Ruler.vue'
import { valueOf } from '../../parts/scale'
import { JOINS, joinWord } from '../areas/covers'
import { scopedTo } from '../areas/scoped'
import { provideBench, theBench } from '../useBench'
import CoverPart from './areas/CoverPart.vue'
import CoverSentence from './areas/CoverSentence.vue'
import ControlGrid from './ControlGrid.vue'
import DeckFrame from './DeckFrame.vue'

const bench = theBench()
const { decks, ledger, tools, areas, clean } = bench

/** What a cover is made of, by hand or in one click. */
const TOOLS: { name: string; says: string; hint: string }[] = [
  { name: 'brush', says: 'brush', hint: 'Paint; Alt takes away. A weak flow builds up' },
  { name: 'edged', says: 'by edges', hint: 'Paint along a boundary: the brush stops at edges' },
  { name: 'outline', says: 'outline', hint: 'Draw around' },
  { name: 'straight', says: 'straight', hint: 'Drag from where all of it counts to where nothing does' },
  { name: 'round', says: 'round', hint: 'Drag from the middle outward' },
  { name: 'colours', says: 'colours', hint: 'Pick colours in the picture, as many as are meant' },
]
const joins = JOINS.map((name) => ({ name, says: joinWord(name, false) }))

// rulers inside an area set its own steps
const scope = computed(() => areas.area)
const scoped = scopedTo(scope, ledger, decks)
const addBand: typeof tools.addBand = (at) => tools.addBand(at, scoped)
const held = new Proxy(tools, { get: (all, name) => (name === 'addBand' ? addBand : (Reflect.get(all, name) as unknown)) })
provideBench({ ...bench, ledger: scoped, tools: held })

interface Group { name: string; ops: string[]; count: number }
const groups = computed<Group[]>(() => {
  const all = decks.inStation('balance')
  return (decks.all?.groups ?? []).flatMap((name) => {
    const ops = all.filter(({ operation }) => operation.group === name).map((one) => one.name)
    return ops.length ? [{ name, ops, count: scoped.countOf((view) => ops.includes(view.step.op)) }] : []
  })
})
const open = computed(() => groups.value.find((group) => group.name === tools.groups.areas) ?? groups.value[0])

const ways = [{ name: 'hatch', says: 'hatched' }, { name: 'dim', says: 'dimmed' }, { name: 'mask', says: 'alone' }]
const tip = computed(() => (decks.all?.tip ?? []).filter(({ param }) => param === 'size' || param === 'hardness' || param === 'flow'))
const painting = computed(() => ['brush', 'edged', 'lead'].includes(tools.tool))
const fine = computed(() => (areas.current?.params?.cover as Schemas['Cover'] | undefined)?.fine ?? null)
const band = computed(() => decks.all?.covers.fine?.[0])
const bandDragged = ref<number | null>(null)

function found(kind: 'subject' | 'sky') {
  tools.tool = 'lead'
  void areas.add(kind === 'subject' ? { kind, led: [], take: 0 } : { kind, led: [] })
}
function setTip(param: string, shown: number) {
  const ruler = decks.tip(param)
  if (ruler) clean.setTip(param, valueOf(ruler, shown))
}
function tipShown(ruler: Schemas['ShownRuler']): number {
  return Number(((clean.brush[ruler.param] ?? 0) * ruler.times + ruler.plus).toFixed(4))
}
</script>

<template>
  <DeckFrame>
    <template #tools>
      <Button v-tooltip.top="'Begin another area'" severity="secondary" label="New area" :disabled="!areas.area" @click="tools.selected = null" />
      <SelectButton
        v-if="areas.parts.length" v-model="areas.join" :options="joins" option-label="says" option-value="name" :allow-empty="false" aria-label="Joined by"
      />
      <Button severity="secondary" label="subject" @click="found('subject')" />
      <Button severity="secondary" label="sky" @click="found('sky')" />
      <ToggleButton
        v-for="one in TOOLS" :key="one.name" v-tooltip.top="one.hint" :model-value="tools.tool === one.name" :on-label="one.says" :off-label="one.says"
        @update:model-value="tools.toggle(one.name)"
      />
      <Button
        v-tooltip.top="'A range of tone'" severity="secondary" label="tones" @click="areas.add({ kind: 'tones', low: 50, high: 100, soft: 10 })"
      />
    </template>
    <template #acts>
      <Button
        v-if="areas.area && areas.parts.length" v-tooltip.top="'For another area'" severity="secondary" label="Copy the cover"
        @click="areas.copied = areas.cover"
      />
      <Button v-if="areas.copied" severity="secondary" label="Lay it in" @click="areas.layIn()" />
      <Button
        v-for="one in decks.all?.starts" :key="one.name" v-tooltip.top="one.says" severity="secondary" :label="one.name"
        :class="{ begun: areas.begun && tools.tool === one.tool }" @click="areas.start(one)"
      />
    </template>
    <div v-if="!areas.area" class="begin">
      <p v-if="areas.begun">Paint where it counts.</p>
      <p v-else class="soft">
        An area is a place with light of its own. Begin one by what it covers: the subject or the sky in one click, a brush, a gradient, tones.
      </p>
    </div>
    <template v-else>
      <div class="where">
        <CoverSentence />
        <SelectButton
          v-if="!areas.part && areas.area.op === 'area'" :model-value="open?.name"
          :options="groups" option-label="name" option-value="name" :allow-empty="false"
          aria-label="Groups of rulers in the area" @update:model-value="tools.groups.areas = $event"
        >
          <template #option="{ option }">{{ option.name }}<sup v-if="option.count">{{ option.count }}</sup></template>
        </SelectButton>
      </div>
      <CoverPart v-if="areas.part" :key="areas.taken ?? 0" />
      <ControlGrid v-else-if="areas.area.op !== 'area'" :key="areas.area.id" tight :ops="[areas.area.op]" />
      <ControlGrid v-else-if="open" :key="`${areas.area.id} ${open.name}`" tight :ops="open.ops" />
    </template>
    <template #side>
      <div class="shown" :class="{ tip: painting }">
        <template v-if="painting">
          <Ruler
            v-for="ruler in tip" :key="ruler.param" :ruler="ruler" :value="tipShown(ruler)" @drag="setTip(ruler.param, $event)"
            @settle="setTip(ruler.param, $event)"
          />
        </template>
        <template v-else-if="areas.area">
          <div class="row">
            <ToggleButton v-model="areas.shown" v-tooltip.top="'Hidden while / is held'" on-label="shown" off-label="shown" aria-label="Cover shown" />
            <ToggleButton
              v-tooltip.top="'Hair, fur, grass: solved for in a band along the edge'" :model-value="Boolean(fine)" on-label="fine edge" off-label="fine edge"
              @update:model-value="areas.refine($event ? (band?.rest ?? null) : null)"
            />
            <Button severity="secondary" label="Invert" @click="areas.invert()" />
          </div>
          <Ruler
            v-if="decks.all && areas.way === 'hatch' && !fine" :ruler="decks.all.hatching" :value="Math.round(100 * areas.density)"
            @drag="areas.density = $event / 100" @settle="areas.density = $event / 100"
          />
          <SelectButton v-model="areas.way" :options="ways" option-label="says" option-value="name" :allow-empty="false" aria-label="How the cover is shown" />
          <Ruler
            v-if="fine && band" :ruler="band" :value="bandDragged ?? fine.band ?? band.rest" @drag="bandDragged = $event"
            @settle="(bandDragged = null), areas.refine($event)"
          />
        </template>
      </div>
    </template>
  </DeckFrame>
</template>

<style scoped>
.begin { max-width: 620px; padding: 8px 0; }
.where { display: flex; gap: 6px 18px; justify-content: space-between; align-items: start; flex-wrap: wrap; margin-bottom: 4px; }
.shown { display: grid; gap: 6px 16px; width: 222px; align-content: start; }
.shown.tip { grid-template-columns: 1fr 1fr; width: 330px; }
.row { display: flex; gap: 6px; }
.begun { outline: 2px solid var(--fern); outline-offset: 1px; }
</style>
