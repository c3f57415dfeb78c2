<script setup lang="ts">
// What people have written beside a set. The newest stands on the board.
import { useQueryClient } from '@tanstack/vue-query';
import Button from 'primevue/button';
import Textarea from 'primevue/textarea';
import { computed, ref, toRef, watch } from 'vue';

import { api, take, type Schemas } from '@/api/client';
import { useNotes } from '@/lib/page/many';
import { useSay } from '@/lib/page/say';
import { useUnkept } from '@/lib/page/unkept';
import { momentWords } from '@/lib/values/local';

const props = defineProps<{ id: number; mayWork: boolean }>();
const id = toRef(props, 'id');
const notes = useNotes(id);
const cache = useQueryClient();
const say = useSay();
const text = ref('');
const busy = ref(false);

async function keep(asked: Promise<Schemas['NoteView'][]>): Promise<boolean> {
  busy.value = true;
  try {
    cache.setQueryData(['notes', id.value], await asked);
    void cache.invalidateQueries({ queryKey: ['steps'] });
    return true;
  } catch (error) {
    say.wrong(error);
    return false;
  } finally {
    busy.value = false;
  }
}
async function write(): Promise<boolean> {
  const params = { path: { set_id: id.value } };
  const kept = await keep(take(api.POST('/api/sets/{set_id}/notes', { params, body: { text: text.value } })));
  if (kept) text.value = '';
  return kept;
}
watch(id, () => (text.value = ''));
const written = computed(() => text.value.trim() !== '');
useUnkept(written, {
  header: 'Leave the note unwritten?',
  message: () => `“${text.value.trim().slice(0, 80)}” is not written down yet: leaving throws it away.`,
  leave: 'Throw it away',
  keep: { label: 'Write it and leave', run: write },
});
function remove(note: number): void {
  const params = { path: { set_id: id.value, note_id: note } };
  void keep(take(api.DELETE('/api/sets/{set_id}/notes/{note_id}', { params })));
}
function when(at: string): string {
  return momentWords(at);
}
</script>

<template>
  <section class="part" aria-label="Notes">
    <div class="head">
      <h2>Notes</h2>
      <span class="soft">the newest stands on the board</span>
    </div>
    <div v-for="note in notes.data.value" :key="note.id" class="note">
      <p class="text">{{ note.text }}</p>
      <p class="soft by">
        {{ note.mine ? 'you' : note.by || 'somebody' }}, {{ when(note.at) }}
        <button v-if="mayWork" class="plain link" @click="remove(note.id)">Remove</button>
      </p>
    </div>
    <p v-if="notes.data.value && !notes.data.value.length && !mayWork" class="soft none">Nobody wrote one.</p>
    <form v-if="mayWork" class="write" @submit.prevent="write">
      <Textarea
        v-model="text"
        rows="2"
        maxlength="1000"
        aria-label="New note"
        placeholder="For everybody who works on this set"
        @keydown.ctrl.enter="write"
      />
      <Button type="submit" label="Write" severity="secondary" :loading="busy" :disabled="!text.trim()" />
    </form>
  </section>
</template>

<style scoped>
.part {
  margin-top: 28px;
}
.note {
  padding: 8px 0;
  border-bottom: 1px solid var(--rule);
}
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.by {
  display: flex;
  gap: 12px;
}
.write {
  display: flex;
  gap: 10px;
  align-items: end;
  padding-top: 10px;
}
.write textarea {
  flex: 1;
  resize: vertical;
}
.none {
  padding: 8px 0;
}
</style>
