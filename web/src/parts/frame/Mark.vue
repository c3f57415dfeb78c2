<template>
  <svg class="mark" viewBox="0 0 20 20" aria-hidden="true">
    <path class="ink" d="M0 0h20v20H0z" />
    <path class="paper" d="M10 1.5h8.5V10H10zM1.5 10H10v8.5H1.5z" />
    <path fill="#a8332f" d="M10 10h8.5v8.5H10z" />
  </svg>
</template>

<style scoped>
.mark {
  width: 20px;
  height: 20px;
  display: block;
}
.ink {
  fill: var(--ink);
}
.paper {
  fill: var(--paper);
}
</style>
