<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import { computed, ref } from 'vue'

import { api, taken, type Schemas } from '../api/client'
import { useSaying } from '../useSaying'
import { theBench } from './useBench'

/** Steps for other photos: copied to some of this ticket, or kept as a recipe. */
const bench = theBench()
const { sayError, say, sayProblem } = useSaying()
const open = ref(false)
const chosen = ref<string[]>([])
const targets = ref<string[]>([])
const name = ref('')
const recipes = ref<Schemas['RecipeView'][]>([])
const busy = ref(false)

const steps = computed(() => bench.steps.value)
const others = computed(() => (bench.page.value?.siblings ?? []).filter((photo) => photo.id !== bench.photo))

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
  try {
    await work()
  } catch (error) {
    sayError(error)
  }
  busy.value = false
}
const copy = () =>
  attempt(async () => {
    const done = taken(await api.POST('/api/photos/{photo}/copies', { params: { path: { photo: bench.photo } }, body: { steps: chosen.value, to: targets.value } }))
    if (done.refused.length) sayProblem('Not every photo took the steps.', done.refused.join(' '))
    if (done.copied) say(`${done.copied} ${done.copied === 1 ? 'photo has' : 'photos have'} these steps now.`)
    open.value = false
  })
const keep = () =>
  attempt(async () => {
    taken(await api.POST('/api/recipes', { body: { name: name.value, photo: bench.photo, steps: chosen.value } }))
    name.value = ''
    await load()
  })
const use = (recipe: string) =>
  attempt(async () => {
    await bench.useRecipe(recipe)
    open.value = false
  })
const forget = (recipe: string) =>
  attempt(async () => {
    await api.DELETE('/api/recipes/{recipe}', { params: { path: { recipe } } })
    await load()
  })
</script>

<template>
  <button class="link" type="button" title="Copy steps to other photos; recipes" @click="show">Copy…</button>
  <Dialog v-model:visible="open" modal dismissable-mask header="Steps for other photos" :style="{ width: '780px' }">
    <div class="columns">
      <section>
        <h3 class="heading">These steps</h3>
        <p v-if="!steps.length" class="soft">This photo has none yet.</p>
        <label v-for="view in steps" :key="view.step.id" class="choice"><input v-model="chosen" type="checkbox" :value="view.step.id" /> {{ view.title }} <span class="soft small">{{ view.station }}</span></label>
      </section>
      <section>
        <h3 class="heading">To photos of this ticket</h3>
        <p v-if="!others.length" class="soft">There is no other photo.</p>
        <label v-for="photo in others" :key="photo.id" class="choice"><input v-model="targets" type="checkbox" :value="photo.id" /> {{ photo.title }}</label>
        <Button v-if="others.length" size="small" label="Copy to them" :disabled="!chosen.length || !targets.length || busy" @click="copy" />
      </section>
      <section>
        <h3 class="heading">Recipes</h3>
        <p v-if="!recipes.length" class="soft">None kept yet.</p>
        <p v-for="recipe in recipes" :key="recipe.id" class="choice">
          <button class="link" type="button" :title="recipe.titles.join(', ')" :disabled="busy" @click="use(recipe.id)">{{ recipe.name }}</button>
          <span class="soft small">{{ recipe.titles.length }} steps</span>
          <button class="plain forget" type="button" :aria-label="`Forget ${recipe.name}`" @click="forget(recipe.id)">×</button>
        </p>
        <form class="keep" @submit.prevent="keep">
          <input v-model="name" maxlength="80" placeholder="name of a new recipe" aria-label="Name of the recipe" />
          <Button size="small" type="submit" label="Keep" :disabled="!name.trim() || !chosen.length || busy" />
        </form>
      </section>
    </div>
  </Dialog>
</template>

<style scoped>
.columns { display: grid; grid-template-columns: repeat(3, 1fr); gap: 24px; }
section { display: grid; gap: 5px; align-content: start; max-height: 420px; overflow: auto; }
.choice { display: flex; gap: 7px; align-items: baseline; }
.choice input { accent-color: var(--fern); }
.forget { margin-left: auto; min-height: 20px; padding: 0 6px; }
.keep { display: flex; gap: 6px; margin-top: 6px; }
.keep input { flex: 1; min-width: 0; height: 28px; border: 1px solid var(--rule); border-radius: 3px; padding: 0 6px; font: inherit; }
</style>
