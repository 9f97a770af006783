autocmd BufRead,BufNewFile *.plan setfiletype revuelta
