import type { Component } from 'vue'

import AreasDeck from './decks/AreasDeck.vue'
import BalanceDeck from './decks/BalanceDeck.vue'
import CheckDeck from './decks/CheckDeck.vue'
import CleanDeck from './decks/CleanDeck.vue'
import FinishDeck from './decks/FinishDeck.vue'
import FrameDeck from './decks/FrameDeck.vue'
import PiecesDeck from './decks/PiecesDeck.vue'
import type { StationName } from './types'

/** The tabs in their order: the deck of each, and the stations of the ledger whose steps it holds. */
export const STATIONS: { name: StationName; title: string; deck: Component; holds: string[] }[] = [
  { name: 'frame', title: 'Frame', deck: FrameDeck, holds: ['frame'] },
  { name: 'balance', title: 'Balance', deck: BalanceDeck, holds: ['balance', 'source'] },
  { name: 'clean', title: 'Clean', deck: CleanDeck, holds: ['clean'] },
  { name: 'areas', title: 'Areas', deck: AreasDeck, holds: ['areas'] },
  { name: 'pieces', title: 'Pieces', deck: PiecesDeck, holds: ['pieces'] },
  { name: 'finish', title: 'Finish', deck: FinishDeck, holds: ['finish'] },
  { name: 'check', title: 'Check', deck: CheckDeck, holds: [] },
]
