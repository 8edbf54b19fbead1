<script setup lang="ts">
/** A button that brings in files; those chosen together come together. */
import { ElButton, ElUpload, type UploadFile } from "element-plus";
import { ref } from "vue";

defineProps<{ accept: string; multiple?: boolean; disabled?: boolean }>();
const emit = defineEmits<{ files: [files: File[]] }>();
const upload = ref<InstanceType<typeof ElUpload> | null>(null);
let waiting: File[] = [];

function more(file: UploadFile): void {
  if (file.raw) waiting.push(file.raw);
  if (waiting.length > 1) return;
  queueMicrotask(() => {
    const files = waiting;
    waiting = [];
    upload.value?.clearFiles();
    emit("files", files);
  });
}
</script>

<template>
  <ElUpload
    ref="upload"
    class="files"
    :auto-upload="false"
    :show-file-list="false"
    :accept="accept"
    :multiple="multiple"
    :disabled="disabled"
    :on-change="more">
    <ElButton tag="span" :disabled="disabled"><slot /></ElButton>
  </ElUpload>
</template>

<style scoped>
.files,
.files :deep(.el-upload),
.files :deep(.el-button) {
  width: 100%;
}
</style>
