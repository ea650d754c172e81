<template>
  <main class="flex min-h-full items-center justify-center bg-room p-6">
    <div class="w-[360px] rounded-md bg-paper p-8">
      <h1
        class="mb-1 inline-block border-b-2 border-dashed border-thread pb-1 font-read text-2xl font-semibold"
      >
        Needlepoint
      </h1>
      <p class="mb-6 text-quiet">Where, what, how much: portraits, quietly put right.</p>
      <slot />
    </div>
  </main>
</template>
