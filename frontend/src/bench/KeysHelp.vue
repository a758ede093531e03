<script setup lang="ts">
import Dialog from 'primevue/dialog'

const visible = defineModel<boolean>('visible', { required: true })
const groups: { title: string; keys: [string, string][] }[] = [
  {
    title: 'Looking',
    keys: [
      ['0', 'fit'], ['1', '100 %'], ['2', '200 %'], ['3', "buyer's size"], ['wheel', 'closer, at the cursor'], ['Space + drag', 'pan (or middle button)'],
      ['arrows', 'pan, on the picture'], ['O', 'original, while held'], ['W', 'wipe'], ['K', 'walkover; Space: next window'], ['B', 'pair'], ['Q E X R M V', 'lamps: cast, speck, clip, repeat, mask, level'],
      ['Page Up / Down', 'previous, next photo'],
    ],
  },
  {
    title: 'Tools',
    keys: [
      ['N', 'pick neutral'], ['G', 'pick this colour'], ['L', 'level by a line'], ['D H C P', 'dab, heal, clone, patch'], ['Y A U', 'regrow, calm, unthread'], ['J I Z', 'relocate, nudge, restore'], ['F T', 'fence, avoid'],
      ['S', 'clone from here'], ['Shift + click', 'straight on from the last stroke'], ['Enter', 'end a line or outline; take the hint'], [';', 'outlines: always, hover, active, never'], [', .', 'smaller, larger (Shift + wheel)'], ['< >', 'softer, crisper (right button + drag: size and softness)'],
      ['Delete', 'remove the repair taken up'], ['Escape', 'put the tool down'], ['Ctrl Z', 'undo'], ['Ctrl Shift Z', 'redo'],
    ],
  },
  {
    title: 'Rulers, crop, curve',
    keys: [
      ['← →', 'one step; Shift: ten'], ['Enter', 'type the number'], ['Home', 'back to rest (double-click)'], ['T', 'take what is proposed'],
      ['arrows', 'move the crop, a point of the curve, a stub'], ['+ −', 'grow, shrink the crop'], ['Alt + drag', 'the picture under the crop'], ['Tab', 'from control to control'],
    ],
  },
]
</script>

<template>
  <Dialog v-model:visible="visible" modal dismissable-mask header="Keys" :style="{ width: '860px' }">
    <div class="groups">
      <section v-for="group in groups" :key="group.title">
        <h3 class="heading">{{ group.title }}</h3>
        <dl>
          <template v-for="[key, says] in group.keys" :key="key">
            <dt class="number">{{ key }}</dt>
            <dd>{{ says }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </Dialog>
</template>

<style scoped>
.groups { display: grid; grid-template-columns: repeat(3, 1fr); gap: 24px; }
dl { display: grid; grid-template-columns: auto 1fr; gap: 5px 12px; margin: 8px 0 0; }
dd { margin: 0; }
</style>
