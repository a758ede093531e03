import { flushPromises, mount } from '@vue/test-utils'
import AutoComplete from 'primevue/autocomplete'
import { afterEach, expect, it, vi } from 'vitest'

import { answering, around } from '../testing'
import OrderDialog from './OrderDialog.vue'
import { emptyOrder } from './useOrderForm'

afterEach(() => vi.unstubAllGlobals())

it('offers clients while one is being named, and lays no list over the field that one has gone on to', async () => {
  answering({
    'GET /api/clients': { clients: [{ name: 'Wren Mill', slip: 'Web page' }, { name: 'Hill Homes' }] },
    'GET /api/slips': [], 'GET /api/ways': [], 'GET /api/people-at-work': [],
  })
  const stubs = { ...around.stubs, Dialog: { template: '<div><slot /></div>' } }
  const props = { visible: true, header: 'New ticket', act: 'Make it', begun: emptyOrder(), keep: vi.fn() }
  const made = mount(OrderDialog, { props, global: { ...around, stubs } })
  await flushPromises()
  const client = made.findComponent(AutoComplete)
  const offered = async (query: string) => {
    client.vm.$emit('complete', { query } as never)
    await flushPromises()
    return client.props('suggestions')
  }
  client.vm.$emit('focus', {} as never)
  expect(await offered('mill')).toEqual(['Wren Mill'])
  expect(await offered('')).toEqual(['Wren Mill', 'Hill Homes'])
  client.vm.$emit('blur', {} as never)
  expect(await offered('mill')).toEqual([])
})
