import { hasInjectionContext, inject, provide, type InjectionKey, type Ref } from 'vue'
import { serverAt } from './api'
import { asOf } from './asOf'

/** As `2026-06-09T14:20:00Z`; undefined for the present. */
export type Moment = Readonly<Ref<string | undefined>>
const MOMENT: InjectionKey<Moment> = Symbol('the moment that is looked from')

/** The moment that a part of a page looks from: that of the desk, where the part was given none of its own. */
export const useMoment = () => (hasInjectionContext() ? inject(MOMENT, asOf) : asOf)
/** All that is within this component looks from another moment than the rest of the page. */
export const provideMoment = (moment: Moment) => provide(MOMENT, moment)

/** The server, looked at from the moment of the part of the page that asks. */
export function useServer() {
  const moment = useMoment()
  return serverAt(() => moment.value)
}
