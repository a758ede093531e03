<script setup lang="ts">
import Toast from 'primevue/toast'
</script>

<template>
  <RouterView :key="$route.path" />
  <Toast position="bottom-right" />
</template>
