<script lang="ts">
  import { fullDayOf, timeOf } from '../common/dates';
  import Button from '../common/Button.svelte';
  import TextField from '../common/TextField.svelte';
  import Tick from '../common/Tick.svelte';
  import Thumbnail from '../library/Thumbnail.svelte';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';
  import { book } from './book-now';
  import type { Entry } from './book.svelte';

  /** What was done and why, by day and by patch: it enters itself, and the user says the rest. */
  const SOON_MS = 150;
  const shown = $derived(workbench.view === 'logbook');
  let timer: ReturnType<typeof setTimeout> | undefined;
  let typed = book.search;
  let note = $state('');

  $effect(() => {
    void [book.day, book.mine, book.marked, book.search, workbench.id];
    if (!shown) return;
    clearTimeout(timer);
    timer = setTimeout(() => void messages.attempt(() => book.look()), book.search === typed ? 0 : SOON_MS);
    typed = book.search;
    return () => clearTimeout(timer);
  });

  const newDay = (place: number): boolean =>
    fullDayOf(book.entries[place]!.at) !== fullDayOf(book.entries[place - 1]?.at ?? '');
  const writtenAt = (ending: string): string => {
    const asked = Object.entries(book.query).map(([name, value]) => [name, String(value)]);
    return `/api/log/written.${ending}?${new URLSearchParams(asked).toString()}`;
  };
  function back(entry: Entry): void {
    void messages.attempt(() => book.back(entry));
  }
</script>

<div class="panel" role="group" aria-label="Logbook">
  <div class="bar">
    <TextField
      class="find"
      type="search"
      label="Find in the logbook"
      placeholder="Find in the logbook"
      bind:value={book.search}
    />
    <Tick checked={book.mine} onset={(on) => (book.mine = on)}>only {workbench.patch?.name ?? 'this patch'}</Tick>
    <Tick checked={book.marked} onset={(on) => (book.marked = on)}>marked</Tick>
    <span class="out"
      >Write out
      <a href={writtenAt('md')} download="logbook.md">Markdown</a>
      <a href={writtenAt('html')} download="logbook.html">HTML</a></span
    >
  </div>
  <div class="body">
    <nav class="side" aria-label="Days">
      <Button look="bare" aria-pressed={book.day === ''} onclick={() => (book.day = '')}>Every day</Button>
      {#each book.days as day (day.day)}
        <Button
          look="bare"
          aria-pressed={book.day === day.day}
          onclick={() => (book.day = book.day === day.day ? '' : day.day)}>{day.day} <small>{day.count}</small></Button
        >
      {/each}
    </nav>
    <div class="page">
      <form
        onsubmit={(event) => {
          event.preventDefault();
          const text = note.trim();
          if (text) void messages.attempt(() => book.note(text));
          note = '';
        }}
      >
        <TextField
          label="Note for the logbook"
          placeholder={book.mine
            ? `Something to remember of ${workbench.patch?.name ?? 'this patch'}`
            : 'Something to remember'}
          maxlength={4000}
          bind:value={note}
        />
        <Button type="submit">Note it</Button>
      </form>
      <ol aria-label="Entries">
        {#each book.entries as entry, place (entry.id)}
          {#if newDay(place)}<li class="day">{fullDayOf(entry.at)}</li>{/if}
          <li class="entry">
            <time datetime={entry.at}>{timeOf(entry.at)}</time>
            <Button
              look="bare"
              class="star"
              aria-label="Mark {entry.title}"
              aria-pressed={entry.marked}
              onclick={() => void messages.attempt(() => book.say(entry, { marked: !entry.marked }))}
              >{entry.marked ? '★' : '☆'}</Button
            >
            <div class="what">
              <span><b>{entry.document_name}</b> {entry.title}</span>
              {#if entry.changes.length || entry.figures.length}
                <ul>
                  {#each entry.changes as sentence, i (i)}<li>{sentence}</li>{/each}
                  {#each entry.figures as sentence, i (i)}<li class="figure">{sentence}</li>{/each}
                </ul>
              {/if}
              <TextField
                class="why"
                label="Why: {entry.title}"
                placeholder="Why?"
                maxlength={4000}
                rows={entry.why.length > 90 ? 3 : 1}
                value={entry.why}
                onset={(why) => void messages.attempt(() => book.say(entry, { why }))}
              />
            </div>
            {#if entry.picture}<Thumbnail picture={entry.picture as never} name={entry.document_name} />{/if}
            {#if entry.act !== 'note' && entry.act !== 'take'}
              <Button look="bare" aria-label="Go back to {entry.title}" onclick={() => back(entry)}
                >go back to it</Button
              >
            {/if}
          </li>
        {:else}
          <li class="none">
            {#if book.loading}Looking…
            {:else if book.search || book.day || book.mine || book.marked}Nothing is entered of that.
            {:else}Nothing yet. What you save, the fixes and targets you take, ranges and takes you keep enter
              themselves here; you say why.{/if}
          </li>
        {/each}
      </ol>
      {#if book.more}
        <p><Button onclick={() => void messages.attempt(() => book.look(true))}>Show earlier ones</Button></p>
      {/if}
    </div>
  </div>
</div>

<style>
  .bar :global(.find) {
    flex: 1;
    min-width: 12rem;
  }
  .out {
    display: flex;
    gap: 8px;
  }
  .out a {
    color: var(--ink);
    text-decoration: underline;
  }
  .body {
    flex: 1;
    min-height: 0;
    display: grid;
    grid-template-columns: 130px minmax(0, 1fr);
  }
  .page {
    min-height: 0;
    overflow: hidden auto;
    scrollbar-width: thin;
    padding: 8px 14px 14px;
  }
  form {
    display: flex;
    gap: 6px;
  }
  form :global(input) {
    flex: 1;
  }
  ol,
  ul {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  .day {
    padding: 12px 0 2px;
    font-weight: 600;
    color: var(--faint);
    font-size: 13px;
  }
  .entry {
    display: flex;
    align-items: flex-start;
    gap: 9px;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  time {
    color: var(--faint);
    font-size: 13px;
    font-variant-numeric: tabular-nums;
    padding-top: 1px;
  }
  .entry :global(.star) {
    color: var(--weld);
    font-size: 15px;
    line-height: 18px;
  }
  .what {
    flex: 1;
    min-width: 0;
  }
  .what ul {
    padding-left: 14px;
    list-style: '· ';
    font-size: 13px;
    color: var(--faint);
  }
  .what .figure {
    color: var(--ink);
  }
  .what :global(.why) {
    width: 100%;
    border-color: transparent;
    background: none;
    padding: 1px 4px;
    margin-left: -4px;
    font-style: italic;
    resize: none;
    field-sizing: content;
    min-height: 0;
  }
  .what :global(.why:hover),
  .what :global(.why:focus) {
    border-color: var(--edge);
  }
  .none {
    max-width: 34rem;
    padding: 14px 0;
    color: var(--faint);
  }
</style>
