<script setup lang="ts">
import Button from 'primevue/button'
import { useRouter } from 'vue-router'

import { useSession } from '../common/useSession'
import TicketTag from './TicketTag.vue'

/** `outside`: for somebody who came by a link and signs in nowhere. */
defineProps<{ number: string; to?: string; title: string; under?: string; outside?: boolean }>()
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
    <span class="soft under">{{ under }}</span>
    <nav>
      <slot />
      <template v-if="!outside">
        <RouterLink v-if="person" to="/me" class="who">{{ person.name }}</RouterLink>
        <Button severity="secondary" label="Sign out" @click="leave" />
      </template>
    </nav>
  </header>
</template>

<style scoped>
.head {
  display: flex; align-items: center; gap: 12px; min-height: 40px; background: var(--bar); border-bottom: 1px solid var(--hairline);
  padding-right: 16px;
}
.tag { align-self: stretch; width: 178px; flex: none; }
h1 { font-size: 13.5px; font-weight: 650; }
h1, .under { min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
nav .who { font-weight: 650; padding: 4px 0; }
nav { margin-left: auto; display: flex; align-items: center; gap: 14px; }
@media (max-width: 620px) {
  .head { flex-wrap: wrap; gap: 2px 10px; padding: 0 10px 6px 0; }
  .tag { width: 130px; min-height: 40px; }
  .under, nav .who { font-weight: 650; padding: 4px 0; }
nav { margin-left: 12px; }
  .who { display: none; }
}
</style>
