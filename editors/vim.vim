" Plain Byte for Vim with the plugin ALE: read it from vimrc.
autocmd BufNewFile,BufRead *.asm set filetype=asm
let g:ale_linters = get(g:, 'ale_linters', {})
let g:ale_linters.asm = ['plainbyte']
call ale#linter#Define('asm', {
\   'name': 'plainbyte',
\   'lsp': 'stdio',
\   'executable': 'plainbyte',
\   'command': '%e serve language',
\   'project_root': {buffer -> fnamemodify(bufname(buffer), ':p:h')},
\ })
