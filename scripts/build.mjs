import { needBuild, needNode, needPackages } from './setup.mjs'

needNode()
needPackages()
await needBuild()
