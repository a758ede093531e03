<script setup lang="ts">
import Button from 'primevue/button'

/** What is kept, one below another, of which one stands open beside it. */
defineProps<{ items: { id: string; title: string; under: string }[]; open: string | null | undefined }>()
defineEmits<{ take: [id: string] }>()
</script>

<template>
  <Button
    v-for="item in items" :key="item.id" class="kept" severity="secondary" :class="{ open: item.id === open }" :aria-pressed="item.id === open"
    @click="$emit('take', item.id)"
  >
    <strong>{{ item.title }}</strong> <span class="soft">{{ item.under }}</span>
  </Button>
</template>

<style scoped>
.kept {
  display: grid; justify-content: start; justify-items: start; gap: 2px; width: 100%; margin-top: 6px; padding: 7px 9px; text-align: left;
  font: inherit; color: inherit; background: var(--sheet); border: 1px solid var(--hairline); border-radius: 3px; cursor: pointer;
}
.kept.open { border-color: var(--fern); box-shadow: inset 0 0 0 1px var(--fern); }
</style>
