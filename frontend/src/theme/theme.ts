/**
 * PrimeVue's parts in our look: a paper ticket on a neutral bench. Tokens by preset, and by pass-through what tokens do
 * not reach. Only the parts that the page has are brought along.
 */
import { definePreset } from '@primeuix/themes'
import base from '@primeuix/themes/aura/base'
import autocomplete from '@primeuix/themes/aura/autocomplete'
import button from '@primeuix/themes/aura/button'
import checkbox from '@primeuix/themes/aura/checkbox'
import colorpicker from '@primeuix/themes/aura/colorpicker'
import confirmdialog from '@primeuix/themes/aura/confirmdialog'
import dataview from '@primeuix/themes/aura/dataview'
import datepicker from '@primeuix/themes/aura/datepicker'
import dialog from '@primeuix/themes/aura/dialog'
import fileupload from '@primeuix/themes/aura/fileupload'
import inputnumber from '@primeuix/themes/aura/inputnumber'
import inputtext from '@primeuix/themes/aura/inputtext'
import menu from '@primeuix/themes/aura/menu'
import message from '@primeuix/themes/aura/message'
import multiselect from '@primeuix/themes/aura/multiselect'
import paginator from '@primeuix/themes/aura/paginator'
import progressbar from '@primeuix/themes/aura/progressbar'
import select from '@primeuix/themes/aura/select'
import selectbutton from '@primeuix/themes/aura/selectbutton'
import skeleton from '@primeuix/themes/aura/skeleton'
import tabs from '@primeuix/themes/aura/tabs'
import textarea from '@primeuix/themes/aura/textarea'
import toast from '@primeuix/themes/aura/toast'
import togglebutton from '@primeuix/themes/aura/togglebutton'
import tooltip from '@primeuix/themes/aura/tooltip'
import virtualscroller from '@primeuix/themes/aura/virtualscroller'
import type { PrimeVueConfiguration } from 'primevue/config'
import { markRaw } from 'vue'

const fern = {
  50: '#f1f6f2', 100: '#dce9df', 200: '#bcd5c3', 300: '#93baa0', 400: '#62987a',
  500: '#2e6b45', 600: '#2e6b45', 700: '#1f4d32', 800: '#1a4029', 900: '#143220', 950: '#0c1f14',
}
const grey = {
  0: '#ffffff', 50: '#f5f5f4', 100: '#ececec', 200: '#e4e4e4', 300: '#cfcfcf', 400: '#b4b4b4',
  500: '#8b8b8b', 600: '#5f6361', 700: '#4a4e4c', 800: '#323634', 900: '#1d211f', 950: '#121514',
}

/** One rem is our text: 13 px where the reader has not chosen another size. */
const preset = definePreset(
  {
    ...base,
    components: {
      autocomplete, button, checkbox, colorpicker, confirmdialog, dataview, datepicker, dialog, fileupload, inputnumber, inputtext, menu,
      message, multiselect, paginator, progressbar,
      select, selectbutton, skeleton, tabs, textarea, toast, togglebutton, tooltip, virtualscroller,
    },
  },
  {
    primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '3px', lg: '3px', xl: '4px' } },
    semantic: {
      primary: fern,
      transitionDuration: '0.08s',
      focusRing: { width: '2px', style: 'solid', color: '{primary.500}', offset: '1px' },
      formField: { paddingX: '7px', paddingY: '3px', borderRadius: '3px', sm: { fontSize: '12px', paddingX: '6px', paddingY: '2px' } },
      list: { padding: '3px', option: { padding: '4px 9px', borderRadius: '2px' } },
      overlay: { modal: { padding: '16px', borderRadius: '4px' }, popover: { padding: '10px 12px' }, select: { borderRadius: '3px' } },
      colorScheme: {
        light: {
          surface: grey,
          primary: { color: '#2e6b45', contrastColor: '#ffffff', hoverColor: '#1f4d32', activeColor: '#1f4d32' },
          highlight: { background: '#dce9df', focusBackground: '#dce9df', color: '#1f4d32', focusColor: '#1f4d32' },
          formField: {
            borderColor: '{surface.500}', hoverBorderColor: '{surface.900}', color: '{surface.900}',
            placeholderColor: '{surface.600}', iconColor: '{surface.700}', disabledBackground: '{surface.200}', disabledColor: '{surface.600}',
          },
          text: { color: '{surface.900}', mutedColor: '{surface.700}' },
          overlay: { modal: { background: '{surface.50}' }, popover: { background: '{surface.50}' } },
          content: { background: '{surface.50}', borderColor: '{surface.400}', hoverBackground: '{surface.0}' },
        },
      },
    },
    components: {
      button: {
        root: { paddingX: '10px', paddingY: '3px', gap: '6px', iconOnlyWidth: '26px', label: { fontWeight: '400' } },
        colorScheme: {
          light: {
            root: {
              secondary: {
                background: '{surface.0}', hoverBackground: '{surface.0}', activeBackground: '{surface.50}',
                borderColor: '{surface.500}', hoverBorderColor: '{surface.900}', activeBorderColor: '{surface.900}',
                color: '{surface.900}', hoverColor: '{surface.900}', activeColor: '{surface.900}',
              },
            },
            link: { color: '{surface.900}', hoverColor: '{primary.700}', activeColor: '{primary.700}' },
          },
        },
      },
      togglebutton: {
        root: { padding: '0', fontWeight: '400', borderRadius: '3px' },
        content: { padding: '0 9px', borderRadius: '2px', checkedShadow: 'none' },
        colorScheme: {
          light: {
            root: {
              background: '{surface.0}', checkedBackground: '{surface.0}', hoverBackground: '{surface.0}', borderColor: '{surface.500}',
              color: '{surface.900}', hoverColor: '{surface.900}', checkedColor: '{primary.700}', checkedBorderColor: '{primary.500}',
            },
            content: { checkedBackground: 'transparent' },
          },
        },
      },
      checkbox: { root: { width: '16px', height: '16px' }, icon: { size: '11px' } },
      dialog: { title: { fontSize: '15px', fontWeight: '650' } },
      tooltip: { root: { maxWidth: '320px', padding: '5px 9px' }, colorScheme: { light: { root: { background: '{surface.900}', color: '#ffffff' } } } },
      progressbar: { root: { height: '8px' }, label: { fontSize: '0' }, colorScheme: { light: { root: { background: '{surface.400}' } } } },
      dataview: {
        root: { borderColor: 'transparent' }, content: { background: 'transparent', padding: '0' },
        header: { background: 'transparent', padding: '0' },
      },
      paginator: { root: { background: 'transparent', padding: '2px' } },
      skeleton: { root: { background: '{surface.200}' } },
    },
  },
)

/** Raw, because nobody changes it: PrimeVue would watch every one of its thousand values, and each part read them through proxies. */
export const primeVue: PrimeVueConfiguration = {
  theme: markRaw({ preset, options: { darkModeSelector: 'none', cssLayer: { name: 'primevue', order: 'base, primevue' } } }),
  pt: markRaw({
    select: { overlay: { class: 'fern-list' } },
    // at once: when it has come in, a dialog takes the hand to its first field, also from one that is typed in already
    dialog: { root: { class: 'fern-dialog' }, transition: { css: false } },
    toast: { root: { class: 'fern-toast' } },
  }),
  ptOptions: { mergeSections: true, mergeProps: true },
}
