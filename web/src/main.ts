import './app.css'
import { mount } from 'svelte'
import App from './App.svelte'
import { applyTheme } from '$lib/theme.svelte'

applyTheme()
export default mount(App, { target: document.getElementById('app')! })
