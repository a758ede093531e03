<script setup lang="ts">
/** One grammar for every deck: tools in a row along its top, what is set below, what is beside it at the right. */
</script>

<template>
  <div class="deck">
    <div class="tools">
      <slot name="tools" />
      <span class="grow"></span>
      <slot name="acts" />
    </div>
    <div class="body">
      <div class="set"><slot /></div>
      <div v-if="$slots.side" class="side"><slot name="side" /></div>
    </div>
  </div>
</template>

<style scoped>
.deck { display: grid; grid-template-rows: 34px minmax(0, 1fr); height: 100%; }
.tools {
  display: flex; gap: 8px; align-items: center; padding: 0 8px; border-bottom: 1px solid var(--hairline); white-space: nowrap;
  min-width: 0; overflow-x: auto; scrollbar-width: thin;
}
.body { display: flex; min-height: 0; }
.set { flex: 1 1 0; min-width: 0; overflow: auto; padding: 4px 16px 0; scrollbar-width: thin; }
.side { flex: none; border-left: 1px solid var(--hairline); padding: 6px 14px; overflow: auto; scrollbar-width: thin; }
</style>
