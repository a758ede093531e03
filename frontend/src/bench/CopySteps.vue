<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { useConfirm } from 'primevue/useconfirm'
import { computed, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { tryingWith } from '../common/trying'
import { useSaying } from '../common/useSaying'
import { theBench } from './useBench'

/** Steps for other photos: copied to some of this ticket, or kept as a recipe. */
const { ledger } = theBench()
const { sayError, say, sayProblem } = useSaying()
const trying = tryingWith(sayError)
const confirm = useConfirm()
const open = ref(false)
const chosen = ref<string[]>([])
const targets = ref<string[]>([])
const name = ref('')
const recipes = ref<Schemas['RecipeView'][]>([])
const busy = ref(false)

const steps = computed(() => ledger.steps)
const others = computed(() => (ledger.page?.siblings ?? []).filter((photo) => photo.id !== ledger.photo && !photo.material))

async function show() {
  // repairs belong to their photo, as a rule: what is offered first is light, frame and finish
  chosen.value = steps.value.filter((view) => view.station !== 'clean').map((view) => view.step.id ?? '')
  targets.value = []
  open.value = true
  await attempt(load)
}
async function load() {
  recipes.value = taken(await api.GET('/api/recipes'))
}
async function attempt(work: () => Promise<void>) {
  busy.value = true
  await trying(work)
  busy.value = false
}
const copy = () =>
  attempt(async () => {
    const body = { steps: chosen.value, to: targets.value }
    const done = taken(await api.POST('/api/photos/{photo}/copies', { params: { path: { photo: ledger.photo } }, body }))
    if (done.refused.length) sayProblem('Not every photo took the steps.', done.refused.join(' '))
    if (done.copied) say(`${done.copied} ${done.copied === 1 ? 'photo has' : 'photos have'} these steps now.`)
    open.value = false
  })
const keep = () =>
  attempt(async () => {
    taken(await api.POST('/api/recipes', { body: { name: name.value, photo: ledger.photo, steps: chosen.value } }))
    name.value = ''
    await load()
  })
const use = (recipe: string) =>
  attempt(async () => {
    await ledger.useRecipe(recipe)
    open.value = false
  })
function forget(recipe: Schemas['RecipeView']) {
  confirm.require({
    header: `Forget ${recipe.name}?`,
    message: 'The recipe goes; photos that have its steps keep them.',
    acceptLabel: 'Forget it',
    rejectLabel: 'Keep it',
    rejectProps: { severity: 'secondary' },
    accept: () =>
      attempt(async () => {
        await api.DELETE('/api/recipes/{recipe}', { params: { path: { recipe: recipe.id } } })
        await load()
      }),
  })
}
</script>

<template>
  <Button v-tooltip.top="'Copy steps to other photos; recipes'" link label="Copy…" @click="show" />
  <Dialog v-model:visible="open" modal dismissable-mask header="Steps for other photos" :style="{ width: '780px' }">
    <div class="columns">
      <section>
        <h3 class="heading">These steps</h3>
        <p v-if="!steps.length" class="soft">This photo has none yet.</p>
        <label v-for="view in steps" :key="view.step.id" class="choice">
          <Checkbox v-model="chosen" :value="view.step.id" /> {{ view.title }} <span class="soft small">{{ view.station }}</span>
        </label>
      </section>
      <section>
        <h3 class="heading">To photos of this ticket</h3>
        <p v-if="!others.length" class="soft">There is no other photo.</p>
        <label v-for="photo in others" :key="photo.id" class="choice"><Checkbox v-model="targets" :value="photo.id" /> {{ photo.title }}</label>
        <Button v-if="others.length" label="Copy to them" :disabled="!chosen.length || !targets.length || busy" @click="copy" />
      </section>
      <section>
        <h3 class="heading">Recipes</h3>
        <p v-if="!recipes.length" class="soft">None kept yet.</p>
        <p v-for="recipe in recipes" :key="recipe.id" class="recipe">
          <Button v-tooltip.top="recipe.titles.join(', ')" link :label="recipe.name" :disabled="busy" @click="use(recipe.id)" />
          <span class="soft small">{{ recipe.titles.length }} steps</span>
          <Button class="forget" severity="secondary" size="small" label="×" :aria-label="`Forget ${recipe.name}`" @click="forget(recipe)" />
        </p>
        <form class="keep" @submit.prevent="keep">
          <InputText v-model="name" :maxlength="80" placeholder="name of a new recipe" aria-label="Name of the recipe" />
          <Button type="submit" label="Keep" :disabled="!name.trim() || !chosen.length || busy" />
        </form>
      </section>
    </div>
  </Dialog>
</template>

<style scoped>
.columns { display: grid; grid-template-columns: repeat(3, 1fr); gap: 24px; }
section { display: grid; gap: 2px; align-content: start; max-height: 420px; overflow: auto; }
.recipe { display: flex; gap: 7px; align-items: center; }
.forget { margin-left: auto; }
.keep { display: flex; gap: 6px; margin-top: 6px; }
.keep > :first-child { flex: 1; min-width: 0; }
</style>
