<template>
  <main class="page">
    <p class="empty">
      There is no page at this address. <RouterLink to="/sieves">Go to the sieves</RouterLink>
    </p>
  </main>
</template>
