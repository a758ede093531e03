<script setup lang="ts">
import Button from 'primevue/button'
import { ref } from 'vue'

import { joinWord, wordOf } from '../../areas/covers'
import { theBench } from '../../useBench'

/** The cover as a sentence: each word takes its part up, the joins are changed by a click, parts are dragged elsewhere. */
const { areas, frames } = theBench()
const dragged = ref<number | null>(null)

function drop(at: number) {
  const from = dragged.value
  dragged.value = null
  if (from !== null && from !== at) void areas.move(from, at)
}
function take(index: number) {
  areas.taken = areas.taken === index ? null : index
}
</script>

<template>
  <div class="cover">
  <ol class="sentence" aria-label="Where it counts">
    <li v-if="!areas.parts.length" class="soft">everywhere</li>
    <li
      v-for="(part, index) in areas.parts" :key="index" :class="{ off: part.enabled === false }"
      draggable="true" @dragstart="dragged = index" @dragover.prevent @drop.prevent="drop(index)"
    >
      <Button
        v-if="index || (part.mode ?? 'add') !== 'add'" link class="join" :label="joinWord(part.mode, index === 0)"
        :aria-label="`${joinWord(part.mode, index === 0)}: join another way`" @click="areas.turn(index)"
      />
      <Button
        class="word" :severity="areas.taken === index ? undefined : 'secondary'" :label="wordOf(part)" :aria-pressed="areas.taken === index"
        @click="take(index)" @keydown.alt.left.prevent="areas.move(index, index - 1)" @keydown.alt.right.prevent="areas.move(index, index + 1)"
        @keydown.delete.prevent="areas.remove(index)"
      />
    </li>
  </ol>
  <span v-if="frames.busy[areas.area?.id ?? ''] !== undefined" class="soft" role="status">the fine edge is being made…</span>
  </div>
</template>

<style scoped>
.cover { display: flex; gap: 8px; align-items: center; }
.sentence { display: flex; flex-wrap: wrap; gap: 3px 4px; margin: 0; padding: 0; list-style: none; align-items: center; }
li { display: flex; align-items: center; gap: 2px; }
.off .word { text-decoration: line-through; }
.join { font-style: italic; padding: 0 5px; }
</style>
