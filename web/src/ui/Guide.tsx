/** Steps to take, in their order, folded away until somebody needs them. */
export function Guide({ title, steps, open = false }: { title: string; steps: string[]; open?: boolean }) {
  if (steps.length === 0) return null;
  return (
    <details className="guide" open={open}>
      <summary>{title}</summary>
      <ol>
        {steps.map((step) => (
          <li key={step}>{step}</li>
        ))}
      </ol>
    </details>
  );
}
