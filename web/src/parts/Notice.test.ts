// @vitest-environment jsdom
import { render, screen } from '@testing-library/svelte';
import { describe, expect, it } from 'vitest';
import Notice from './Notice.svelte';

describe('a notice', () => {
  it('is told at once where something went wrong, and in passing where not', () => {
    const { unmount } = render(Notice, { kind: 'wrong', title: 'It does not answer' });
    expect(screen.getByRole('alert').textContent).toContain('It does not answer');
    unmount();
    render(Notice, { kind: 'wait', title: 'Reading …' });
    expect(screen.getByRole('status').textContent).toContain('Reading …');
  });
});
