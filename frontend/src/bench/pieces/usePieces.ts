import { reactive } from 'vue'

import { useFitting } from './useFitting'
import { useLaying } from './useLaying'
import { useLyingIn } from './useLyingIn'
import { usePieceCovers } from './usePieceCovers'
import { usePieceInHand, type Around } from './usePieceInHand'

/** Pieces: the one that is taken up and what is done with it, and how others come. */
export function usePieces(around: Around) {
  const hand = usePieceInHand(around)
  const laying = useLaying(around, hand)
  return reactive({ ...hand, ...laying, ...usePieceCovers(around, hand), ...useLyingIn(around, hand), ...useFitting(around, hand, laying) })
}

export type PiecesRoom = ReturnType<typeof usePieces>
