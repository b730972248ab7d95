/* A page serves no requests that could carry anything. One expression, evaluated together with the helper. */
(() => {
  const nothing = () => undefined;
  return { carried: nothing, asked: nothing, answered: nothing };
})
