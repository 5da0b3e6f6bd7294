import { needBuild, needNode, needPackages } from './setup.mjs'

needNode()
needPackages()
await needBuild()
await import('../server/serve.mjs')
