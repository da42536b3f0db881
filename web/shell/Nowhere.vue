<template>
  <div class="screen">
    <h1>There is nothing at this address</h1>
    <p class="quiet mt-2">
      It may have been moved or thrown away. <router-link to="/">Go to Today</router-link>
    </p>
  </div>
</template>
