import { describe, expect, it, test } from 'vitest';

import {
  drawnNote,
  fullFirst,
  onRunway,
  pathOf,
  runwayBar,
  savedPercent,
  stacked,
  standingWords,
  storageTitle,
  type Allowance,
  type Course,
} from './quotas';

const row = (name: string, days: number | null, earliest: number | null, soon: boolean) => ({
  name,
  runway: { days, earliest, soon, measured_days: 70 },
});

describe('what the page begins with', () => {
  test.each([
    [[], 'Storage'],
    [[row('A', 400, 300, false)], 'Storage'],
    [[row('A', 18, 14, true)], 'A is full in 18 days'],
    [[row('A', 1, 1, true)], 'A is full in 1 day'],
    [[row('A', 0, 0, true)], 'A is full'],
    [[row('A', null, 6, true)], 'A may be full in 6 days'],
    [[row('A', 18, 14, true), row('B', 3, 2, true), row('C', null, null, false)], 'B is full in 3 days, 1 other store soon as well'],
  ])('%j', (stores, says) => expect(storageTitle(stores)).toBe(says));

  it('is of the one that is full first, and of none that lasts', () => {
    expect(fullFirst([row('A', 18, 14, true), row('B', 3, 2, true)])?.name).toBe('B');
    expect(fullFirst([row('A', 500, 400, false)])).toBeUndefined();
  });
});

describe('the axis of runways', () => {
  it('begins now, ends after a year, and gives near days more room', () => {
    expect(onRunway(0)).toBe(0);
    expect(onRunway(366)).toBeCloseTo(100);
    expect(onRunway(4000)).toBeCloseTo(100);
    expect(onRunway(14) - onRunway(7)).toBeGreaterThan(onRunway(107) - onRunway(100));
  });

  it('holds the range around the end, open to the right where nobody can tell', () => {
    const bar = runwayBar({ days: 18, earliest: 14, latest: 25, measured_days: 70, pace_bytes: 1 });
    expect(bar && bar.from < bar.end && bar.end < bar.to).toBe(true);
    expect(runwayBar({ days: 18, earliest: 14, latest: null, measured_days: 70, pace_bytes: 1 })?.to).toBeCloseTo(100);
    expect(runwayBar({ days: null, earliest: null, latest: null, measured_days: 70, pace_bytes: 5 })?.end).toBeCloseTo(100);
  });

  it('draws nothing while too little is known, and what is full without a pace', () => {
    expect(runwayBar({ days: null, earliest: null, latest: null, measured_days: 3, pace_bytes: null })).toBeNull();
    expect(runwayBar({ days: 0, earliest: 0, latest: 0, measured_days: 3, pace_bytes: null })?.end).toBe(0);
  });
});

test.each([
  [{ fair_bytes: 18, logical_bytes: 100 }, 82],
  [{ fair_bytes: 100, logical_bytes: 100 }, null],
  [{ fair_bytes: 120, logical_bytes: 100 }, null],
  [{ fair_bytes: 0, logical_bytes: 0 }, null],
])('saved of %j', (line, percent) => expect(savedPercent(line)).toBe(percent));

describe('an allowance', () => {
  const MIB = 1 << 20;
  const one = (told: Partial<Allowance>) =>
    standingWords(
      { soft_bytes: 10 * MIB, soft_held: 0, grace_days: 3, over_since: null, standing: 'within', ...told } as Allowance,
      () => '2 days ago',
    );
  test.each([
    [{}, 'within'],
    [{ soft_held: 12 * MIB, standing: 'over', over_since: 'x' }, '2 MiB over, 2 days ago; needs a person after 3 days'],
    [{ soft_held: 12 * MIB, standing: 'overdue', over_since: 'x' }, '2 MiB over, 2 days ago'],
    [{ standing: 'full' }, 'nothing more is taken in'],
    [{ soft_bytes: null, soft_held: 99 }, 'within'],
  ] as [Partial<Allowance>, string][])('%j', (told, says) => expect(one(told)).toBe(says));
});

describe('areas one on another', () => {
  const day = (on: string, stored: number, parts: number[], more: Partial<Course['days'][number]> = {}) => ({
    day: on,
    stored_bytes: stored,
    going_bytes: 0,
    limit_bytes: null,
    drawn: false,
    parts,
    ...more,
  });

  it('end in what lies there without what goes by itself', () => {
    const drawn = stacked({
      names: ['A', 'B'],
      days: [day('2026-11-01', 100, [40, 20]), day('2026-11-03', 260, [80, 40], { going_bytes: 60 })],
    });
    expect(drawn?.most).toBe(200);
    expect(drawn?.areas[0]?.upper).toEqual([
      [0, 80],
      [100, 60],
    ]);
    expect(drawn?.areas[1]?.lower).toEqual(drawn?.areas[0]?.upper);
    expect(drawn?.rest.upper).toEqual([
      [0, 50],
      [100, 0],
    ]);
  });

  it('lie where their days lie, not one beside the other', () => {
    const days = [day('2026-10-24', 1, [1]), day('2026-10-25', 1, [1]), day('2026-10-28', 1, [1])];
    expect(stacked({ names: ['A'], days })?.areas[0]?.upper.map(([x]) => x)).toEqual([0, 25, 100]);
  });

  it('show a limit that is near, and none that is far away', () => {
    const near = [day('2026-11-01', 100, [1], { limit_bytes: 150 }), day('2026-11-02', 100, [1], { limit_bytes: 150 })];
    expect(stacked({ names: ['A'], days: near })?.limit).toEqual([
      [0, 0],
      [100, 0],
    ]);
    const far = near.map((one) => ({ ...one, limit_bytes: 10_000 }));
    expect(stacked({ names: ['A'], days: far })?.limit).toEqual([]);
  });

  it('say how far they were only drawn', () => {
    const days = [day('2026-11-01', 1, [1], { drawn: true }), day('2026-11-02', 1, [1], { drawn: true }), day('2026-11-03', 1, [1])];
    expect(stacked({ names: ['A'], days })?.drawnUntil).toBe(50);
    expect(drawnNote(days)).toBe('2 days of them were drawn for this demonstration, not measured.');
    expect(drawnNote(days.slice(2))).toBe('');
  });

  it('need two days', () => {
    expect(stacked({ names: [], days: [] })).toBeNull();
    expect(stacked({ names: ['A'], days: [day('2026-11-01', 1, [1])] })).toBeNull();
  });

  it('are closed paths', () =>
    expect(
      pathOf({
        name: 'A',
        upper: [
          [0, 10],
          [100, 5],
        ],
        lower: [
          [0, 100],
          [100, 100],
        ],
      }),
    ).toBe('M0.00,10.00L100.00,5.00L100.00,100.00L0.00,100.00Z'));
});
