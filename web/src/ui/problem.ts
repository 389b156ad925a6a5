/** What went wrong and what to do; the shape of the server's problem documents. */
export interface Problem {
  title: string;
  remedy: string;
  field: string | null;
}
