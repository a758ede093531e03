<script setup lang="ts">
import Dialog from 'primevue/dialog'

import { GESTURES, KEYS, written } from './keys'

/** Made from the table that acts on the keys, and from what gestures take. */
const visible = defineModel<boolean>('visible', { required: true })

interface Line { keys: string; says: string }
const lines = [...KEYS.map((one) => ({ group: one.group as string, keys: written(one), says: one.says })), ...GESTURES]
const groups = new Map<string, Line[]>()
for (const { group, keys, says } of lines) {
  const known = groups.get(group) ?? []
  const same = known.find((line) => line.says === says)
  if (same) same.keys += `, ${keys}`
  else groups.set(group, [...known, { keys, says }])
}
const columns = ['Looking', 'Tools'].map((title) => [title]).concat([['Controls', 'Specks', 'Walkover']])
</script>

<template>
  <Dialog v-model:visible="visible" :pt="{ content: { tabindex: 0 } }" modal dismissable-mask header="Keys" :style="{ width: '980px' }">
    <div class="columns">
      <div v-for="titles in columns" :key="titles[0]">
        <section v-for="title in titles" :key="title">
          <h3 class="heading">{{ title }}</h3>
          <dl>
            <template v-for="line in groups.get(title)" :key="line.says">
              <dt class="number">{{ line.keys }}</dt>
              <dd>{{ line.says }}</dd>
            </template>
          </dl>
        </section>
      </div>
    </div>
  </Dialog>
</template>

<style scoped>
.columns { display: grid; grid-template-columns: repeat(3, 1fr); gap: 24px; }
dl { display: grid; grid-template-columns: auto 1fr; gap: 3px 12px; margin: 6px 0 14px; align-items: baseline; }
dd { margin: 0; }
</style>
