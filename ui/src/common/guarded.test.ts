// @vitest-environment happy-dom
import { render, screen } from '@testing-library/svelte';
import { expect, it, vi } from 'vitest';
import Breaking from './Breaking.test.svelte';

it('says an error in its own place, leaves the rest alive, and shows the part again by Reload view', async () => {
  const logged = vi.spyOn(console, 'error').mockImplementation(() => undefined);
  let broken = true;
  render(Breaking, { breaks: () => broken });
  expect(screen.getByRole('alert').textContent).toContain('The logbook cannot be shown');
  expect(screen.getByRole('alert').textContent).toContain('two rows have one key');
  expect(screen.getByText('the rest')).toBeTruthy();
  expect(logged).toHaveBeenCalledOnce();
  broken = false;
  screen.getByRole('button', { name: 'Reload view' }).click();
  expect(await screen.findByText('the rows')).toBeTruthy();
  expect(screen.queryByRole('alert')).toBeNull();
});
