<script setup lang="ts">
import { BButton, BFormCheckbox, BFormInput } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import DialogBox from '@/parts/DialogBox.vue'
import { counted, number } from '@/parts/format'
import type { State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'
import type { Overview } from '@/workbench/useImport'

/** What is to be agreed to before a run: each point that is not in order by name, and the number of records that would
 * be deleted. */
const props = defineProps<{ overview: Overview; points: Schemas['Point'][]; count: number; pilot: boolean }>()
const emit = defineEmits<{ run: [agreed: string[], deletes: number | null]; close: [] }>()
const deletes = computed(() => (props.pilot ? 0 : (props.overview.rehearse?.counts.delete ?? 0)))
const agreed = ref<string[]>([])
const typed = ref('')
const isMeant = computed(() => !deletes.value || Number(typed.value.replaceAll(/[ ,.]/g, '')) === deletes.value)
/** Nobody can agree to these: they are set right first. */
const barred = computed(() => props.points.filter((point) => point.state === 'held'))
const settled = computed(
  () => isMeant.value && !barred.value.length && props.points.every((point) => agreed.value.includes(point.name)),
)
const backup = computed(
  () => `/api/sites/${props.overview.site_id}/backup?types=${encodeURIComponent(props.overview.record_type)}`,
)
const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
</script>

<template>
  <DialogBox model-value :title="pilot ? 'Before the pilot' : 'Before the run'" @update:model-value="emit('close')">
    <p v-if="points.length" class="slate">
      {{
        barred.length
          ? 'Fix this first; the run cannot start before.'
          : 'Please confirm each of these, or fix it first. What you confirm is kept with the run.'
      }}
    </p>
    <ul class="points">
      <li v-for="point in points" :key="point.name">
        <BFormCheckbox v-model="agreed" :value="point.name" :disabled="point.state === 'held'">
          <StateMark :state="point.state as State" /> {{ sentence(point.text) }}.
          <span v-if="point.name !== 'backup'" class="slate">{{ point.remedy }}</span>
        </BFormCheckbox>
        <a v-if="point.name === 'backup'" :href="backup" download class="text-decoration-underline">Download it</a>
      </li>
    </ul>
    <template v-if="deletes">
      <p class="mt-3">
        <StateMark state="held" /> {{ counted(deletes, 'record') }} {{ deletes === 1 ? 'is' : 'are' }} deleted on the
        site. <a :href="backup" download class="text-decoration-underline">Download what the site has</a> first, then
        type how many are deleted.
      </p>
      <label>
        To be deleted
        <BFormInput v-model="typed" inputmode="numeric" size="sm" :placeholder="number(deletes)" />
      </label>
    </template>
    <div class="end mt-3">
      <BButton variant="link" @click="emit('close')">Do not run yet</BButton>
      <BButton variant="primary" :disabled="!settled" @click="emit('run', agreed, deletes || null)"
        >{{ pilot ? 'Send' : 'Run' }} {{ counted(count, 'record')
        }}<template v-if="points.length"> all the same</template></BButton
      >
    </div>
  </DialogBox>
</template>

<style scoped>
.points {
  display: grid;
  gap: 10px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.points li {
  display: flex;
  align-items: center;
  gap: 12px;
}
:deep(.form-check) {
  min-height: 26px;
  margin: 0;
  padding-left: 34px;
}
:deep(.form-check-input) {
  width: 24px;
  height: 24px;
  margin: 0 0 0 -34px;
}
.end {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
}
label {
  display: grid;
  grid-template-columns: auto 140px;
  align-items: center;
  justify-content: start;
  gap: 10px;
}
</style>
