<script lang="ts">
  import Button from '../common/Button.svelte';
  import Choice from '../common/Choice.svelte';
  import Tick from '../common/Tick.svelte';
  import { asBody } from '../api/api';
  import { machine } from '../machine/machine-now';
  import { made, saveFile, stemOf } from '../state/files';
  import { messages } from '../state/messages.svelte';
  import { workbench } from '../state/workbench.svelte';

  /** The open patch, and what it is played under, as it would stand on paper. */
  const SOON_MS = 400;
  let units = $state('jorvik');
  let paper = $state('A4');
  let withCard = $state(false);
  let of = $state('patch');
  let page = $state('');
  let trouble = $state('');
  let frame: HTMLIFrameElement | undefined = $state();
  const shown = $derived(workbench.view === 'paper');

  const alone = $derived(of === 'phrase' && workbench.performed.phrase != null);

  const body = $derived(
    workbench.patch && {
      document: asBody(workbench.patch),
      ...workbench.performed,
      units,
      paper,
      card: withCard ? machine.card : null,
      phrase_alone: alone
    }
  );

  const asked = (ending: string, signal?: AbortSignal): Promise<Response> =>
    made(`/api/paper/sheet.${ending}`, body ?? {}, signal);

  $effect(() => {
    if (!shown || !body) return;
    const giveUp = new AbortController();
    const timer = setTimeout(
      () => {
        asked('html', giveUp.signal)
          .then((answer) => answer.text())
          .then((text) => ((page = text), (trouble = '')))
          .catch((error: unknown) => {
            if (!giveUp.signal.aborted) trouble = error instanceof Error ? error.message : String(error);
          });
      },
      page ? SOON_MS : 0
    );
    return () => {
      clearTimeout(timer);
      giveUp.abort();
    };
  });

  function write(ending: string): void {
    const name = stemOf(alone ? (workbench.phrasing.phrase?.name ?? '') : workbench.patch?.name, 'sheet');
    void messages.attempt(async () => {
      await workbench.settled();
      const answer = await messages.while(`Writing ${name}.${ending}…`, asked(ending), () => {});
      saveFile(await answer.blob(), `${name}.${ending}`);
    });
  }
</script>

<div class="panel" role="group" aria-label="Sheet to print">
  <div class="bar">
    <Button disabled={!page} onclick={() => frame?.contentWindow?.print()}>Print…</Button>
    <Button onclick={() => write('pdf')}>PDF</Button>
    <Button onclick={() => write('svg')} data-hint="The staves alone, to be put into something else"
      >Staves (SVG)</Button
    >
    <Button onclick={() => write('html')}>HTML</Button>
    {#if workbench.performed.phrase}
      <Choice
        look="quiet"
        label="What is printed"
        options={[
          ['patch', 'the patch under the phrase'],
          ['phrase', 'the phrase alone']
        ]}
        value={of}
        onchoose={(value) => (of = value)}
      />
    {/if}
    <Choice
      look="quiet"
      label="What figures are said in"
      options={[
        ['jorvik', 'as on the sheet'],
        ['volts', 'in volts, 1 V an octave']
      ]}
      value={units}
      onchoose={(value) => (units = value)}
    />
    <Choice
      look="quiet"
      label="Paper"
      options={[
        ['A4', 'A4'],
        ['Letter', 'Letter']
      ]}
      value={paper}
      onchoose={(value) => (paper = value)}
    />
    {#if machine.card}
      <Tick checked={withCard} onset={(on) => (withCard = on)}>on {machine.card.name}</Tick>
    {/if}
  </div>
  {#if trouble}<p class="trouble" role="alert">{trouble}</p>{/if}
  {#if page}
    <iframe bind:this={frame} title="The sheet as it is printed" sandbox="allow-same-origin allow-modals" srcdoc={page}
    ></iframe>
  {:else if !trouble}<p class="none">Drawing…</p>{/if}
</div>

<style>
  iframe {
    flex: 1;
    width: 100%;
    border: 0;
    background: white;
  }
</style>
