import { main } from './main'
import { services } from './services'
import { isWork, work } from './supervise'
import { serve } from './threads'

// this is loaded by the command's other threads alone
if (isWork()) await work(main)
else serve(services)
