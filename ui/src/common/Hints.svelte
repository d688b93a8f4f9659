<script lang="ts">
  import { Tooltip } from 'flowbite-svelte';
  import { tick } from 'svelte';
  import { hinted, isControl } from './hint';

  /** The one tooltip of the page, at whatever is pointed at, held by a finger, or reached by the keyboard. */
  const DELAY_MS = 450;
  const HELD_MS = 550;
  const ID = 'hint';

  let target: HTMLElement | null = $state.raw(null);
  let text = $state('');
  let isOpen = $state(false);
  let timer = 0;
  let byKeyboard = false;

  function soon(element: HTMLElement, after: number): void {
    clearTimeout(timer);
    if (element === target && isOpen) return;
    timer = window.setTimeout(() => void open(element), after);
  }

  async function open(element: HTMLElement): Promise<void> {
    close();
    if (!element.isConnected) return;
    text = element.dataset['hint'] ?? '';
    element.setAttribute('data-hint-shown', '');
    element.setAttribute('aria-describedby', ID);
    const tabindex = element.getAttribute('tabindex');
    target = element;
    await tick();
    // The tooltip makes what it hangs on a stop of the keyboard; where the stop is a field within, it stays the field.
    if (tabindex === null) element.removeAttribute('tabindex');
    isOpen = true;
  }

  function close(): void {
    clearTimeout(timer);
    isOpen = false;
    target?.removeAttribute('data-hint-shown');
    target?.removeAttribute('aria-describedby');
    target = null;
  }

  function onpointerover(event: PointerEvent): void {
    if (event.pointerType !== 'mouse' || event.buttons) return;
    const element = hinted(event.target);
    if (element) soon(element, DELAY_MS);
    // It can be read, and pointed at, for as long as the pointer is on it.
    else if (!(event.target instanceof Element && event.target.closest(`#${ID}`))) close();
  }

  function onpointerdown(event: PointerEvent): void {
    byKeyboard = false;
    close();
    const element = event.pointerType === 'mouse' ? null : hinted(event.target);
    if (element && isControl(element)) soon(element, HELD_MS);
  }

  /** A tap on what is no control; after it, because a tap moves the focus first. */
  function onclick(event: MouseEvent): void {
    const element = hinted(event.target);
    if ((event as PointerEvent).pointerType !== 'mouse' && element && !isControl(element)) void open(element);
  }

  function onkeydown(): void {
    byKeyboard = true;
    close();
  }

  function onfocusin(event: FocusEvent): void {
    const element = byKeyboard ? hinted(event.target) : null;
    if (element) soon(element, DELAY_MS);
  }
</script>

<svelte:document
  {onpointerover}
  {onpointerdown}
  {onfocusin}
  {onclick}
  onkeydowncapture={onkeydown}
  onpointerup={() => !isOpen && clearTimeout(timer)}
  onpointerleave={close}
  onfocusout={close}
/>

{#if target}
  {#key target}
    <Tooltip
      id={ID}
      triggeredBy="[data-hint-shown]"
      bind:isOpen
      arrow={false}
      placement="bottom"
      offset={6}
      class="hint">{text}</Tooltip
    >
  {/key}
{/if}
