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
  gap: 6px 14px;
  min-height: 62px;
  padding: 6px 18px;
  border-top: 1px solid var(--rule);
  background: var(--sheet);
}
.told {
  min-width: 0;
}
.end {
  display: flex;
  flex: none;
  flex-wrap: wrap;
  align-items: center;
  justify-content: flex-end;
  gap: 4px 14px;
}
@media (max-width: 999.98px) {
  footer {
    flex-wrap: wrap;
  }
  .told {
    max-width: 100%;
  }
  .end {
    flex: 1 1 auto;
  }
}
</style>
