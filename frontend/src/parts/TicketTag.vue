<script setup lang="ts">
defineProps<{ number: string; under?: string; to?: string }>()
</script>

<template>
  <component :is="to ? 'RouterLink' : 'div'" :to="to" class="tag">
    <span class="tag-number">{{ number }}</span>
    <span v-if="under" class="tag-under">{{ under }}</span>
  </component>
</template>

<style scoped>
.tag {
  position: relative;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 18px 0 12px;
  background: var(--fern);
  color: #fff;
  text-decoration: none;
  white-space: nowrap;
  overflow: hidden;
  /* the perforated edge: half circles bitten out of the right side */
  mask: radial-gradient(circle 4px at right, #0000 98%, #000) 0 0 / 100% 10px;
}
.tag-number { font: 700 15px/1 var(--mono); letter-spacing: 0.03em; }
.tag-under { font-size: 13px; overflow: hidden; text-overflow: ellipsis; }
a.tag:hover { background: var(--deep-fern); }
</style>
