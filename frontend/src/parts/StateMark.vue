<script setup lang="ts">
defineProps<{ state: 'holds' | 'short' | 'measuring' | 'open' | 'later' }>()
const words = { holds: 'holds', short: 'short', measuring: 'being measured', open: 'open', later: 'measured on the file' }
</script>

<template>
  <svg class="mark" viewBox="0 0 14 14" role="img" :aria-label="words[state]">
    <template v-if="state === 'holds'">
      <circle cx="7" cy="7" r="6.2" fill="var(--fern)" />
      <path d="M4 7.2l2.1 2.2L10.2 5" fill="none" stroke="#fff" stroke-width="1.6" />
    </template>
    <template v-else-if="state === 'short'">
      <path d="M7 0.8L13.6 13H0.4z" fill="var(--short)" />
      <path d="M7 5v4M7 10.2v1.4" stroke="#fff" stroke-width="1.4" />
    </template>
    <circle v-else-if="state === 'measuring'" cx="7" cy="7" r="5.4" fill="none" stroke="var(--ink)" stroke-width="1.5" stroke-dasharray="4 2.6" />
    <path v-else-if="state === 'later'" d="M2 7h10" stroke="var(--soft-ink)" stroke-width="1.6" />
    <rect v-else x="1.2" y="1.2" width="11.6" height="11.6" fill="none" stroke="var(--ink)" stroke-width="1.4" />
  </svg>
</template>

<style scoped>
.mark { width: 14px; height: 14px; flex: none; }
</style>
