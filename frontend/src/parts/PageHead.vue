<script setup lang="ts">
import { useRouter } from 'vue-router'

import { useSession } from '../useSession'
import TicketTag from './TicketTag.vue'

defineProps<{ number: string; to?: string; title: string; under?: string }>()
const { person, signOut } = useSession()
const router = useRouter()

async function leave() {
  await signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <header class="head">
    <TicketTag :number="number" :to="to" class="tag" />
    <h1>{{ title }}</h1>
    <span class="soft">{{ under }}</span>
    <nav>
      <slot />
      <strong v-if="person">{{ person.name }}</strong>
      <button class="plain" type="button" @click="leave">Sign out</button>
    </nav>
  </header>
</template>

<style scoped>
.head { display: flex; align-items: center; gap: 12px; height: 40px; background: var(--bar); border-bottom: 1px solid var(--hairline); padding-right: 16px; }
.tag { align-self: stretch; width: 178px; }
h1 { font-size: 13.5px; font-weight: 650; }
nav { margin-left: auto; display: flex; align-items: center; gap: 14px; }
</style>
