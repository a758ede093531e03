import { definePreset } from '@primeuix/themes'
import Aura from '@primeuix/themes/aura'

const fern = {
  50: '#f1f6f2', 100: '#dce9df', 200: '#bcd5c3', 300: '#93baa0', 400: '#62987a',
  500: '#2e6b45', 600: '#2e6b45', 700: '#1f4d32', 800: '#1a4029', 900: '#143220', 950: '#0c1f14',
}
const grey = {
  0: '#ffffff', 50: '#f5f5f4', 100: '#ececec', 200: '#e4e4e4', 300: '#cfcfcf', 400: '#b4b4b4',
  500: '#8b8b8b', 600: '#6b6f6d', 700: '#4a4e4c', 800: '#323634', 900: '#1d211f', 950: '#121514',
}

/** Paper on a neutral bench: our tokens for PrimeVue's parts. */
export const preset = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '3px', lg: '3px', xl: '4px' } },
  semantic: {
    primary: fern,
    transitionDuration: '0.08s',
    focusRing: { width: '2px', style: 'solid', color: '{primary.500}', offset: '1px' },
    formField: { paddingX: '0.6rem', paddingY: '0.36rem', borderRadius: '3px' },
    colorScheme: {
      light: {
        surface: grey,
        primary: { color: '#2e6b45', contrastColor: '#ffffff', hoverColor: '#1f4d32', activeColor: '#1f4d32' },
        formField: { borderColor: '{surface.500}', hoverBorderColor: '{surface.900}', color: '{surface.900}', placeholderColor: '{surface.700}' },
        text: { color: '{surface.900}', mutedColor: '{surface.700}' },
      },
    },
  },
  components: { button: { root: { paddingX: '0.8rem', paddingY: '0.36rem', label: { fontWeight: '650' } } } },
})
