<script setup lang="ts">
import { BFormSelect } from 'bootstrap-vue-next'
import { computed, ref } from 'vue'
import type { Schemas } from '@/api/client'
import { counted } from '@/parts/format'
import PolicyKeys from '@/stations/rehearse/PolicyKeys.vue'
import PolicyFields from '@/stations/rehearse/PolicyFields.vue'

type Policy = Schemas['Policy']

const props = defineProps<{
  id: number
  policy: Policy
  disabled: boolean
  /** The kinds of mail that can be silenced apart, where there are several. */
  mails: Schemas['KindOfMail'][]
  /** Whether all that is sent has a switch for it. */
  canBeSilenced: boolean
}>()
const emit = defineEmits<{ change: [Policy] }>()

interface Choice {
  label: string
  name: 'on_match' | 'on_no_match' | 'unnamed' | 'clear_first' | 'send_mail'
  options: { value: string; text: string }[]
  read?: (text: string) => boolean
}
const isTrue = (text: string) => text === 'true'
const choices = computed((): Choice[] => [
  {
    label: 'On a match',
    name: 'on_match',
    options: [
      { value: 'update', text: 'update the record' },
      { value: 'skip', text: 'leave it as it is' },
      { value: 'hold', text: 'hold the row' },
    ],
  },
  {
    label: 'On no match',
    name: 'on_no_match',
    options: [
      { value: 'create', text: 'create a record' },
      { value: 'skip', text: 'leave the row out' },
      { value: 'hold', text: 'hold the row' },
    ],
  },
  {
    label: 'No row names it',
    name: 'unnamed',
    options: [
      { value: 'leave', text: 'leave it on the site' },
      { value: 'list', text: 'leave it, and list it' },
      { value: 'delete', text: 'delete it' },
    ],
  },
  {
    label: 'Before all else',
    name: 'clear_first',
    options: [
      { value: 'false', text: 'keep what is there' },
      { value: 'true', text: 'delete all of this type' },
    ],
    read: isTrue,
  },
  {
    label: 'Mail from the site',
    name: 'send_mail',
    options: [
      { value: 'false', text: props.canBeSilenced ? 'silenced' : 'silenced where it can' },
      { value: 'true', text: 'sent as the site does' },
    ],
    read: isTrue,
  },
])
function set(choice: Choice, text: string) {
  // What is said of all mail holds for every kind of it.
  const mails = choice.name === 'send_mail' ? {} : props.policy.mails
  emit('change', { ...props.policy, mails, [choice.name]: choice.read ? choice.read(text) : text })
}
const sends = (kind: string) => props.policy.mails[kind] ?? props.policy.send_mail
function setKind(kind: string, text: string) {
  emit('change', { ...props.policy, mails: { ...props.policy.mails, [kind]: isTrue(text) } })
}
const dialog = ref<'keys' | 'fields' | null>(null)
const otherwise = computed(() => Object.keys(props.policy.fields).length)
const keysSaid = computed(() =>
  props.policy.keys.length
    ? `then by ${props.policy.keys.map((key) => key.join(' and ')).join(', ')}`
    : 'match key only',
)
</script>

<template>
  <div class="policy">
    <label v-for="choice in choices" :key="choice.name">
      {{ choice.label }}
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="String(policy[choice.name])"
        :options="choice.options"
        @update:model-value="set(choice, String($event))"
      />
    </label>
    <label v-for="kind in mails" :key="kind.name" :title="kind.says">
      <span class="mono">{{ kind.name }}</span>
      <BFormSelect
        size="sm"
        :disabled="disabled"
        :model-value="String(sends(kind.name))"
        :options="[
          { value: 'false', text: 'silenced' },
          { value: 'true', text: 'sent' },
        ]"
        @update:model-value="setKind(kind.name, String($event))"
      />
    </label>
    <div class="line">
      <span>Found by</span>
      <button type="button" class="visually-plain petrol" :disabled="disabled" @click="dialog = 'keys'">
        {{ keysSaid }}
      </button>
    </div>
    <div class="line">
      <span>Single fields</span>
      <button type="button" class="visually-plain petrol" :disabled="disabled" @click="dialog = 'fields'">
        {{ otherwise ? `${counted(otherwise, 'field')} otherwise` : 'all are written' }}
      </button>
    </div>
    <PolicyKeys
      v-if="dialog === 'keys'"
      :id="id"
      :keys="policy.keys"
      @change="emit('change', { ...policy, keys: $event })"
      @close="dialog = null"
    />
    <PolicyFields
      v-if="dialog === 'fields'"
      :id="id"
      :fields="policy.fields"
      @change="emit('change', { ...policy, fields: $event })"
      @close="dialog = null"
    />
  </div>
</template>

<style scoped>
.policy {
  display: grid;
  gap: 6px;
}
label,
.line {
  display: grid;
  grid-template-columns: 128px 1fr;
  align-items: center;
  gap: 8px;
}
.line button {
  text-align: left;
}
</style>
