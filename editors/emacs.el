;; Plain Byte for Emacs: load it from init.el. Emacs 29 has eglot; before that it is a package.
(require 'eglot)
(define-derived-mode plain-byte-mode prog-mode "Plain Byte"
  (setq-local comment-start "; " tab-width 8 indent-tabs-mode nil))
(add-to-list 'auto-mode-alist '("\\.asm\\'" . plain-byte-mode))
(add-to-list 'eglot-server-programs '(plain-byte-mode "plainbyte" "serve" "language"))
(add-hook 'plain-byte-mode-hook #'eglot-ensure)
