"""Served to others: a secret of its own and encrypted transport are asked for."""

import os

SECRET_KEY = os.environ["CAIRN_SECRET_KEY"]
SECURE_SSL_REDIRECT = True
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
SECURE_HSTS_SECONDS = 31_536_000
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")

# mail: over the server that CAIRN_SMTP_HOST names; without one nothing is sent, and the pages don't offer it
MAILS = bool(os.environ.get("CAIRN_SMTP_HOST"))
EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend" if MAILS else "django.core.mail.backends.dummy.EmailBackend"
EMAIL_HOST, EMAIL_PORT = os.environ.get("CAIRN_SMTP_HOST", ""), int(os.environ.get("CAIRN_SMTP_PORT", "587"))
EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = os.environ.get("CAIRN_SMTP_USER", ""), os.environ.get("CAIRN_SMTP_PASSWORD", "")
EMAIL_USE_TLS, EMAIL_TIMEOUT = os.environ.get("CAIRN_SMTP_TLS", "1") == "1", 10
MFA_WEBAUTHN_ALLOW_INSECURE_ORIGIN = False
