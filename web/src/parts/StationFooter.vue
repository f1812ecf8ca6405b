<template>
  <footer>
    <div class="told"><slot /></div>
    <div class="end"><slot name="end" /></div>
  </footer>
</template>

<style scoped>
footer {
  display: flex;
  grid-column: 1 / -1;
  align-items: center;
  justify-content: space-between;
  gap: 14px;
  height: 62px;
  padding: 0 18px;
  border-top: 1px solid var(--rule);
  background: var(--sheet);
}
.told {
  min-width: 0;
}
.end {
  display: flex;
  flex: none;
  align-items: center;
  gap: 14px;
}
</style>
