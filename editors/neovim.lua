-- Plain Byte for Neovim: read it from init.lua.
vim.api.nvim_create_autocmd({ "BufNewFile", "BufRead" }, {
  pattern = "*.asm",
  callback = function() vim.bo.filetype = "asm" end,
})
vim.api.nvim_create_autocmd("FileType", {
  pattern = "asm",
  callback = function(args)
    local can = vim.lsp.protocol.make_client_capabilities()
    can.workspace.textDocumentContent = { dynamicRegistration = false }
    local id = vim.lsp.start_client({
      name = "plainbyte",
      cmd = { "plainbyte", "serve", "language" },
      root_dir = vim.fn.getcwd(),
      capabilities = can,
    })
    vim.lsp.buf_attach_client(args.buf, id)
  end,
})
-- Pages that have no file: what a macro wrote, what a code or a directive means.
vim.api.nvim_create_autocmd("BufReadCmd", {
  pattern = "plain-byte://*",
  callback = function(args)
    for _, client in ipairs((vim.lsp.get_clients or vim.lsp.get_active_clients)()) do
      local said = client.name == "plainbyte"
        and client.request_sync("workspace/textDocumentContent", { uri = args.match }, 5000, args.buf)
      if said and type(said.result) == "table" then
        vim.api.nvim_buf_set_lines(args.buf, 0, -1, false, vim.split(said.result.text, "\n"))
        vim.bo[args.buf].buftype = "nofile"
      end
    end
  end,
})
