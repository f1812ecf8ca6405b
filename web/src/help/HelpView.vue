<script setup lang="ts">
import FormulaReference from '@/help/FormulaReference.vue'
import { keys, stations, words } from '@/help/guide'
import KeyList from '@/help/KeyList.vue'
import PageShell from '@/parts/PageShell.vue'
import { marks, type State } from '@/parts/marks'
import StateMark from '@/parts/StateMark.vue'

const shown = (['good', 'changed', 'held', 'same'] as const).map((mark) => [mark, marks[mark]] as [State, string])
</script>

<template>
  <PageShell title="Help">
    <div class="help">
      <div>
        <section>
          <h2>The six stations</h2>
          <p class="slate">Go back and forth between them as you like. Nothing reaches the site before you run.</p>
          <dl class="told">
            <template v-for="[id, name, does] in stations" :key="id">
              <dt>{{ name }}</dt>
              <dd>{{ does }}</dd>
            </template>
          </dl>
        </section>
        <section>
          <h2>Marks</h2>
          <dl class="told">
            <template v-for="[mark, means] in shown" :key="mark">
              <dt><StateMark :state="mark" /></dt>
              <dd>{{ means }}</dd>
            </template>
          </dl>
        </section>
        <section>
          <h2>Words</h2>
          <dl class="told">
            <template v-for="[word, means] in words" :key="word">
              <dt>{{ word }}</dt>
              <dd>{{ means }}</dd>
            </template>
          </dl>
        </section>
        <section id="keys">
          <h2>Keys</h2>
          <p class="slate"><kbd>?</kbd> shows those of the screen you are at.</p>
          <template v-for="[id, name] in stations.filter(([one]) => one !== 'verify' && one !== 'rehearse')" :key="id">
            <h3>{{ name === 'Check' ? 'Check, Rehearse, Verify' : name }}</h3>
            <KeyList :keys="keys[id]" class="mb-3" />
          </template>
        </section>
      </div>
      <section id="formulas">
        <h2>Formulas</h2>
        <FormulaReference />
      </section>
    </div>
  </PageShell>
</template>

<style scoped>
.help {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 380px), 1fr));
  gap: 0 44px;
}
.help section {
  margin-bottom: 26px;
}
.told {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 5px 16px;
  margin: 0;
}
.told dd {
  margin: 0;
}
</style>
