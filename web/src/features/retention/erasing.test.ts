// @vitest-environment node

import { describe, expect, it } from 'vitest';

import { erased, standing, stepWords } from './erasing';

type Row = Parameters<typeof erased>[0] & Parameters<typeof standing>[0];
type Step = Parameters<typeof stepWords>[0];

const step = (told: Partial<Step>): Step => ({
  store_id: 's',
  store_name: 'Server room',
  state: 'waiting',
  backups: 0,
  held: 0,
  trouble: '',
  remedy: '',
  needed_by: [],
  erased_at: null,
  gone_at: null,
  ...told,
});
const row = (told: Partial<Row>): Row => ({
  state: 'under_way',
  whole: false,
  holder: '',
  devices: [{ id: 'd', name: 'Orlo P4' }],
  items: [{ kind: 'contacts', name: 'Ada Brandt' }],
  begins_on: '2026-12-04',
  steps: [],
  ...told,
});

describe('what is erased', () => {
  it.each([
    [row({}), 'Ada Brandt of Orlo P4'],
    [row({ items: [{ kind: 'contacts', name: '' }] }), '1 item of Orlo P4'],
    [row({ items: Array.from({ length: 4 }, (_, n) => ({ kind: 'photos', name: `p${n}` })) }), '4 items of Orlo P4'],
    [row({ whole: true }), 'everything of Orlo P4'],
    [row({ whole: true, holder: 'Ada Brandt' }), 'everything of Ada Brandt (Orlo P4)'],
    [row({ whole: true, holder: 'Ada Brandt', devices: [] }), 'everything of Ada Brandt'],
  ])('%#', (told, words) => expect(erased(told)).toBe(words));
});

describe('how far it is', () => {
  it.each([
    [row({ state: 'asked' }), 'waits until Fri, 4 Dec 2026'],
    [row({ state: 'called_off' }), 'called off'],
    [row({ state: 'done' }), 'gone everywhere'],
    [row({ steps: [step({ state: 'gone' }), step({})] }), 'gone from 1 of 2 stores'],
    [row({ steps: [step({ held: 1 }), step({ trouble: 'It is away.' })] }), 'gone from 0 of 2 stores, 2 cannot go on'],
  ])('%#', (told, words) => expect(standing(told)).toBe(words));
});

describe('one store', () => {
  it.each([
    [step({}), 'not begun'],
    [step({ state: 'sweeping' }), 'no backup holds it any more; its bytes wait out two days and go'],
    [step({ state: 'gone', trouble: 'old news' }), 'gone'],
    [step({ trouble: 'It is away.' }), 'It is away.'],
    [step({ held: 1 }), '1 backup on hold: nothing of it is erased until the hold is released'],
    [step({ held: 2, trouble: 'x' }), '2 backups on hold: nothing of it is erased until the hold is released'],
  ])('%#', (told, words) => expect(stepWords(told)).toBe(words));
});
