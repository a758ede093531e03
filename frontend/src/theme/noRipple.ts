/** Stands in place of PrimeVue's ripple, which sets itself up on every button, also where ripples are off. */
const noRipple = {}

export default noRipple
