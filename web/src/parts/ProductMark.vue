<template>
  <span class="product" aria-hidden="true"><i></i><i></i></span>
</template>

<style scoped>
.product {
  display: inline-grid;
  gap: 3px;
  width: 20px;
  vertical-align: middle;
}
i {
  width: 14px;
  height: 5px;
  border-radius: 1px;
  background: var(--slate);
}
i + i {
  margin-left: 6px;
  background: var(--petrol);
}
</style>
