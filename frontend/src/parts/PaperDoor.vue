<script setup lang="ts">
/** The way in: a ticket's stub at the left, a form at the right. */
defineProps<{ says: string }>()
defineEmits<{ enter: [] }>()
</script>

<template>
  <main class="page">
    <div class="ticket">
      <div class="stub">
        <svg viewBox="0 0 22 28" width="34" height="44" aria-hidden="true">
          <path
            d="M11 27V3m0 6c2-4 6-4 9-4-1 4-5 6-9 4m0 7c2-4 6-4 9-4-1 4-5 6-9 4m0 7c2-4 6-4 9-4-1 4-5 6-9 4
            m0-14C9 5 5 5 2 5c1 4 5 6 9 4m0 7c-2-4-6-4-9-4 1 4 5 6 9 4m0 7c-2-4-6-4-9-4 1 4 5 6 9 4"
          />
        </svg>
        <strong>FERN TICKET</strong>
        <p>{{ says }}</p>
      </div>
      <form class="form" @submit.prevent="$emit('enter')"><slot /></form>
    </div>
  </main>
</template>

<style scoped>
.page { height: 100%; display: grid; place-items: center; overflow: auto; }
.ticket { display: flex; width: min(640px, 100%); box-shadow: 0 1px 0 var(--rule); }
.stub {
  width: 224px; padding: 26px 30px 26px 22px; background: var(--fern); color: #fff;
  border-radius: 3px 0 0 3px; flex: none;
  mask: radial-gradient(circle 5px at right, #0000 98%, #000) 0 0 / 100% 14px;
}
.stub svg { display: block; margin-bottom: 40px; fill: none; stroke: #fff; stroke-width: 1.5; stroke-linejoin: round; stroke-linecap: round; }
.stub strong { font: 700 19px/1.2 var(--mono); letter-spacing: 0.03em; }
.stub p { margin-top: 8px; }
.form { flex: 1; display: flex; flex-direction: column; padding: 26px 34px 22px; background: var(--paper); border-radius: 0 3px 3px 0; min-width: 0; }
.form :deep(h1) { font-size: 18px; margin-bottom: 12px; }
.form :deep(label) { margin: 8px 0 3px; font-weight: 600; }
.form :deep(.problem) { min-height: 34px; padding-top: 8px; color: var(--short); }
@media (max-width: 620px) {
  .ticket { flex-direction: column; margin: 0 10px; width: calc(100% - 20px); }
  .stub { width: auto; padding: 16px 22px; mask: none; border-radius: 3px 3px 0 0; }
  .stub svg { display: none; }
  .form { padding: 18px 22px; }
}
</style>
