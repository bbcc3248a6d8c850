<script lang="ts">
  /** One fact of the situation out of a few values; "any" leaves it unknown. */
  let {
    label,
    value,
    options,
    onpick,
  }: {
    label: string;
    value: string;
    options: readonly { value: string; label: string }[];
    onpick: (value: string) => void;
  } = $props();

  const id = $props.id();
</script>

<div>
  <label for={id}>{label}</label>
  <select {id} {value} class:given={value !== ''} onchange={(e) => onpick(e.currentTarget.value)}>
    <option value="">any</option>
    {#each options as o (o.value)}<option value={o.value}>{o.label}</option>{/each}
  </select>
</div>

<style>
  div {
    min-width: 0;
  }
  label {
    display: block;
    font-weight: 700;
    font-size: var(--small);
    margin-bottom: 2px;
  }
  select {
    width: 100%;
    min-height: 1.9rem;
    padding: 0 var(--s2);
    border: 1px solid var(--hair);
    border-radius: var(--corner);
    background: var(--sheet);
    color: var(--ink-soft);
    font-size: var(--small);
  }
  .given {
    border-color: var(--water);
    box-shadow: inset 4px 0 0 var(--water);
    padding-left: var(--s3);
    color: var(--ink);
    font-weight: 700;
  }
</style>
