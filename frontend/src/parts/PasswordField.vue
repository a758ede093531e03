<script setup lang="ts">
import { useTimeoutFn } from '@vueuse/core'
import InputText from 'primevue/inputtext'
import { ref, useId, watch } from 'vue'

import type { Schemas } from '../api/client'

/** A new password, and how long somebody would look for it who stole the database. */
const password = defineModel<string>({ required: true })
const props = defineProps<{ label: string; optional?: boolean; ask: (password: string) => Promise<Schemas['Strength'] | undefined> }>()
const LEAST = 12
const GRADES = ['Too weak', 'Too weak', 'Fair', 'Good', 'Very good']
const id = useId()
const strength = ref<Schemas['Strength'] | null>(null)
let newest = 0

// asked when typing rests, and not any more once the field is gone
const { start, stop } = useTimeoutFn(async () => {
  const own = ++newest
  // a server that is away says nothing of a password, and is no reason to stop typing
  const found = await props.ask(password.value).catch(() => undefined)
  if (own === newest && found) strength.value = found
}, 250, { immediate: false })
watch(password, (now) => {
  if (now) return start()
  stop()
  newest++
  strength.value = null
})
</script>

<template>
  <div class="password">
    <label :for="id">{{ label }}</label>
    <InputText
      :id="id" v-model="password" type="password" :required="!optional" :minlength="LEAST" autocomplete="new-password"
      :aria-describedby="`${id}-said`"
    />
    <div class="strength" aria-hidden="true">
      <i v-for="k in 4" :key="k" :class="{ on: strength && strength.score >= k, weak: strength && !strength.enough }"></i>
    </div>
    <p :id="`${id}-said`" class="small said" role="status">
      <template v-if="password && password.length < LEAST">Twelve characters or more; {{ LEAST - password.length }} to go.</template>
      <template v-else-if="strength">
        <b>{{ GRADES[strength.score] }}: {{ strength.words }}</b> by whoever stole the database. {{ strength.advice }}
      </template>
      <template v-else>Twelve characters or more. Several words that do not belong together are easy to keep.</template>
    </p>
  </div>
</template>

<style scoped>
.password { display: grid; gap: 3px; }
label { font-weight: 600; }
.strength { display: grid; grid-template-columns: repeat(4, 1fr); gap: 3px; height: 5px; margin-top: 3px; }
.strength i { border: 1px solid var(--rule); border-radius: 1px; }
.strength i.on { background: var(--fern); border-color: var(--fern); }
.strength i.on.weak { background: var(--short); border-color: var(--short); }
.said { min-height: 32px; color: var(--soft-ink); }
</style>
