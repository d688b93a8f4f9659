// @vitest-environment happy-dom
import { render, screen } from '@testing-library/svelte';
import { createRawSnippet } from 'svelte';
import { expect, it, vi } from 'vitest';
import Aged from './Aged.svelte';

const children = createRawSnippet(() => ({ render: () => '<b>12 ms</b>' }));

it('greys figures of an earlier edit at once, and says that it is busy after 300 ms', async () => {
  vi.useFakeTimers();
  const { rerender } = render(Aged, { old: false, children });
  const figures = screen.getByText('12 ms').parentElement!;
  expect(figures.classList).not.toContain('is-old');
  await rerender({ old: true });
  expect(figures.classList).toContain('is-old');
  expect(screen.queryByRole('status')).toBeNull();
  await vi.advanceTimersByTimeAsync(299);
  expect(screen.queryByRole('status')).toBeNull();
  await vi.advanceTimersByTimeAsync(1);
  expect(screen.getByRole('status').textContent).toBe('Working out…');
  expect(figures.parentElement!.getAttribute('aria-busy')).toBe('true');
  await rerender({ old: false });
  expect(figures.classList).not.toContain('is-old');
  expect(screen.queryByRole('status')).toBeNull();
  vi.useRealTimers();
});
