<script setup lang="ts">
const keys: [string, string][] = [
  ['↑ ↓', 'the field above or below'],
  ['← →', 'earlier or later records'],
  ['Enter', 'choose what feeds the field'],
  ['s', 'add a step'],
  ['f', 'add a formula'],
  ['v', 'value table'],
  ['x', 'leave the first open column out'],
  ['.', 'the next field with a problem'],
  ['/', 'search records'],
  ['Esc', 'close the inspector'],
  ['Ctrl Z', 'undo a change to the mapping'],
  ['Ctrl Shift Z', 'redo it'],
  ['Ctrl K', 'go anywhere'],
  ['?', 'this list'],
]
</script>

<template>
  <dl class="keys">
    <template v-for="[key, does] in keys" :key="key">
      <dt>
        <kbd>{{ key }}</kbd>
      </dt>
      <dd>{{ does }}</dd>
    </template>
  </dl>
</template>

<style scoped>
.keys {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 5px;
  margin: 0;
}
dd {
  margin: 0;
}
</style>
