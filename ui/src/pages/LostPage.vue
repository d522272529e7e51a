<template>
  <div class="page">
    <h1>There is nothing here</h1>
    <p class="lead">The link is incomplete or old. <RouterLink to="/">Go to Today</RouterLink>, or press <kbd>/</kbd> to find a person.</p>
  </div>
</template>
