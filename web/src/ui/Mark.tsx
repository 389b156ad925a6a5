/** A status: a shape and a word; the colour comes third. */
import type { ReactNode } from 'react';

type Shape = 'disc' | 'half' | 'triangle' | 'square' | 'ring' | 'broken' | 'barred' | 'arc' | 'dash';
interface Look {
  shape: Shape;
  tone: 'ok' | 'soon' | 'late' | 'off' | 'act';
  word: string;
}

export const STANDINGS: Record<string, Look> = {
  on_time: { shape: 'disc', tone: 'ok', word: 'on time' },
  due_soon: { shape: 'half', tone: 'soon', word: 'due soon' },
  late: { shape: 'triangle', tone: 'late', word: 'late' },
  never: { shape: 'square', tone: 'late', word: 'never' },
  no_plan: { shape: 'dash', tone: 'soon', word: 'no plan' },
  paused: { shape: 'dash', tone: 'off', word: 'paused' },
  away: { shape: 'ring', tone: 'off', word: 'away' },
  lost: { shape: 'ring', tone: 'off', word: 'lost' },
  retired: { shape: 'dash', tone: 'off', word: 'retired' },
};

export const RUN_STATES: Record<string, Look> = {
  waiting: { shape: 'ring', tone: 'act', word: 'waiting' },
  running: { shape: 'arc', tone: 'act', word: 'under way' },
  complete: { shape: 'disc', tone: 'ok', word: 'complete' },
  partial: { shape: 'half', tone: 'soon', word: 'with omissions' },
  interrupted: { shape: 'broken', tone: 'late', word: 'interrupted' },
  failed: { shape: 'triangle', tone: 'late', word: 'failed' },
  refused: { shape: 'barred', tone: 'late', word: 'would not fit' },
  stopped: { shape: 'dash', tone: 'off', word: 'stopped' },
  missed: { shape: 'square', tone: 'late', word: 'missed' },
};

export const MESSAGE_STATES: Record<string, Look> = {
  waiting: { shape: 'ring', tone: 'act', word: 'waiting' },
  sent: { shape: 'disc', tone: 'ok', word: 'went' },
  failed: { shape: 'triangle', tone: 'late', word: 'did not go' },
};

export const CAUSE_MARKS: Record<string, Look> = {
  ...STANDINGS,
  odd: { shape: 'broken', tone: 'soon', word: 'looks wrong' },
  store: { shape: 'barred', tone: 'soon', word: 'store' },
};

const SHAPES: Record<Shape, ReactNode> = {
  disc: <circle cx="6" cy="6" r="5" fill="currentColor" />,
  half: (
    <>
      <circle cx="6" cy="6" r="4.4" fill="none" stroke="currentColor" strokeWidth="1.4" />
      <path d="M6 1.6a4.4 4.4 0 0 1 0 8.8z" fill="currentColor" />
    </>
  ),
  triangle: <path d="M6 .8 11.4 11H.6z" fill="currentColor" />,
  square: <rect x="1.5" y="1.5" width="9" height="9" fill="none" stroke="currentColor" strokeWidth="1.6" />,
  ring: <circle cx="6" cy="6" r="4.6" fill="none" stroke="currentColor" strokeWidth="1.6" strokeDasharray="2.4 2" />,
  broken: <path d="M1 4.2h10M1 7.8h3.4M7.6 7.8H11" stroke="currentColor" strokeWidth="2" fill="none" />,
  barred: (
    <>
      <rect x="1.5" y="1.5" width="9" height="9" fill="none" stroke="currentColor" strokeWidth="1.6" />
      <path d="M2 6h8" stroke="currentColor" strokeWidth="2.4" />
    </>
  ),
  arc: <path d="M6 1.4a4.6 4.6 0 1 1-4.4 3.3" fill="none" stroke="currentColor" strokeWidth="2" />,
  dash: <path d="M1.5 6h9" stroke="currentColor" strokeWidth="2.4" />,
};

export function Mark({ look, wordless = false }: { look: Look | undefined; wordless?: boolean }) {
  if (!look) return null;
  return (
    <span className={`sign tone-${look.tone}`}>
      <svg viewBox="0 0 12 12" width="12" height="12" aria-hidden="true">
        {SHAPES[look.shape]}
      </svg>
      {wordless ? <span className="visually-hidden">{look.word}</span> : <span className="word">{look.word}</span>}
    </span>
  );
}
