<script setup lang="ts">
import Button from 'primevue/button'
import { computed } from 'vue'

import { clock } from '../../common/due'
import { LAMPS } from '../lamps'
import { theBench } from '../useBench'

/** What is said over the picture: what one looks at, through which lamp, on whose bench, what would fit better here. */
const { proof, frames, view, round, walkover, clean, tools } = theBench()

const original = computed(() => proof.original || proof.way !== 'none')
const besideLeft = computed(() => (proof.way === 'pair' && !proof.original ? view.stage.width - view.room + 14 : 14))
const lamp = computed(() => LAMPS.find((one) => one.name === proof.lamp))
</script>

<template>
  <span v-if="original" class="banner" :style="{ left: `${besideLeft}px` }">original</span>
  <span v-if="lamp && !proof.original" class="banner lamp">{{ frames.head?.lamp === lamp.name ? lamp.says : 'being lit…' }}</span>
  <span v-if="round.heldBy" class="banner held" role="status">
    {{ round.heldBy.name }} has this photo on the bench since {{ clock(round.heldBy.since) }}. Look as you like; it cannot be changed here now.
  </span>
  <span v-if="walkover.on" class="banner walk" role="status">
    walkover · window {{ walkover.at + 1 }} of {{ walkover.count }} · {{ Math.floor(100 * walkover.share) }} % looked at ·
    <b>Space</b> next · <b>Backspace</b> back · <b>Escape</b> stop
  </span>
  <span v-if="clean.hint && tools.station === 'clean'" class="banner hint" role="status">
    <template v-if="clean.hint.instead">
      <b>{{ clean.hint.method }}</b> instead of {{ clean.hint.instead }} · {{ clean.hint.why }} ·
      <Button link :label="`Enter: ${clean.hint.instead} all the same`" @click="clean.takeHint()" />
    </template>
    <template v-else>
      <b>{{ clean.hint.method }}</b> fits here · {{ clean.hint.why }} · <Button link label="Enter takes it" @click="clean.takeHint()" />
    </template>
  </span>
</template>

<style scoped>
.banner { position: absolute; top: 12px; left: 14px; padding: 4px 10px; background: var(--ink); color: #fff; border-radius: 3px; }
.banner.hint { top: auto; bottom: 44px; display: flex; gap: 5px; align-items: center; padding: 1px 10px; }
.banner.hint :deep(button) { color: inherit; font-weight: 650; }
.banner.held, .banner.walk { left: 50%; transform: translateX(-50%); max-width: calc(100% - 28px); }
.banner.held { background: var(--short); }
.banner.lamp { left: auto; right: 14px; }
</style>
