/** What a screen shows, kept in its address: filters, the page, what is chosen. A link to it can be shared. */
import { useSearchParams } from 'react-router';

export interface Address {
  get: (name: string) => string | undefined;
  /** A whole number; nothing for what is none. */
  number: (name: string) => number | undefined;
  /** One of a few words; nothing for what is none of them. */
  oneOf: <Word extends string>(name: string, words: readonly Word[]) => Word | undefined;
  /** Put in, or taken out when empty; another filter begins at the first page again. */
  set: (name: string, value: string | undefined) => void;
  page: number;
  turn: (page: number) => void;
  clear: () => void;
}

export function useAddress(): Address {
  const [params, setParams] = useSearchParams();
  const set = (name: string, value: string | undefined, replace: boolean) =>
    setParams(
      (before) => {
        if (value) before.set(name, value);
        else before.delete(name);
        if (name !== 'page') before.delete('page');
        return before;
      },
      { replace },
    );
  const page = Number(params.get('page') ?? 1);
  return {
    get: (name) => params.get(name) || undefined,
    number: (name) => (/^\d{1,15}$/.test(params.get(name) ?? '') ? Number(params.get(name)) : undefined),
    oneOf: (name, words) => words.find((word) => word === params.get(name)),
    set: (name, value) => set(name, value, true),
    page: Number.isInteger(page) && page > 0 ? page : 1,
    turn: (next) => set('page', next > 1 ? String(next) : undefined, false),
    clear: () => setParams({}),
  };
}
