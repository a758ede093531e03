<script setup lang="ts">
import FileUpload, { type FileUploadUploaderEvent } from 'primevue/fileupload'

/** A button that asks for a file of this machine. */
defineProps<{ label: string; accept: string; loading?: boolean; buttonClass?: string; inputClass?: string }>()
const emit = defineEmits<{ chosen: [files: File[]] }>()
const chosen = ({ files }: FileUploadUploaderEvent) => emit('chosen', [files].flat())
</script>

<template>
  <FileUpload
    mode="basic" custom-upload auto :accept="accept" :choose-label="label" :choose-button-props="{ severity: 'secondary', loading, class: buttonClass }"
    :pt="{ input: { 'aria-hidden': true, tabindex: -1, class: inputClass } }" @uploader="chosen"
  >
    <template #chooseicon><span hidden></span></template>
  </FileUpload>
</template>
