<script setup lang="ts">
import type { Part } from '../../clean/shapes'

/** What a part of a repair covers, in one colour, and so many pixels beyond: a stroke of its tip, or the tip in a plane. */
withDefaults(defineProps<{ part: Part; colour: string; beyond?: number; source?: boolean }>(), { beyond: 0, source: false })
</script>

<template>
  <path v-if="part.area" :d="source ? part.source : part.area" :fill="colour" :stroke="colour" :stroke-width="beyond" stroke-linejoin="round" />
  <path v-else :d="part.path" fill="none" :stroke="colour" :stroke-width="(part.width ?? 0) + beyond" stroke-linecap="round" stroke-linejoin="round" />
</template>
