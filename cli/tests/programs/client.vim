set nocompatible runtimepath+=/usr/share/vim-ale
filetype plugin on
runtime plugin/ale.vim
source $SETTINGS
edit boats.asm
function! Wait(what)
  let n = 0
  while n < 100 && !a:what() | sleep 100m | let n += 1 | endwhile
  return a:what()
endfunction
let s:said = ['mistakes ' . Wait({-> !empty(ale#engine#GetLoclist(bufnr('')))})]
call extend(s:said, map(copy(ale#engine#GetLoclist(bufnr(''))), {_, one -> one.lnum . ': ' . split(one.text, "\n")[0]}))
call setline(3, 'start:  call horn')
ALELint
call add(s:said, 'mended ' . Wait({-> empty(ale#engine#GetLoclist(bufnr('')))}))
call cursor(3, 15)
ALEGoToDefinition
call add(s:said, 'defined ' . Wait({-> line('.') == 6}))
call writefile(s:said, 'said')
qa!
