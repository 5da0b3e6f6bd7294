export interface ChartColours {
  readonly text: string
  readonly soft: string
  readonly faint: string
  readonly rule: string
  readonly edge: string
  readonly well: string
  readonly harm: string
  readonly tide: string
  readonly onHarm: string
  readonly lanes: readonly string[]
}

/** The colours of a theme, as charts need them: looked up, since a canvas knows no names. */
export function chartColours(theme: 'ink' | 'paper'): ChartColours {
  const probe = document.createElement('div')
  probe.dataset.theme = theme
  document.body.append(probe)
  const style = getComputedStyle(probe)
  const of = (name: string) => style.getPropertyValue(`--${name}`).trim()
  const colours = {
    text: of('text'),
    soft: of('soft'),
    faint: of('faint'),
    rule: of('rule'),
    edge: of('edge'),
    well: of('well'),
    harm: of('harm'),
    tide: of('tide'),
    onHarm: of('on-lane'),
    lanes: [1, 2, 3, 4, 5, 6, 7, 8, 9].map((n) => of(`lane-${n}`)),
  }
  probe.remove()
  return colours
}
