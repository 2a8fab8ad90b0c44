"""What every router shares: ``context`` (store and boards at hand, who asks), ``guard`` (Host and Origin),
``problems`` (refusals as problem details, RFC 9457), ``events`` (live changes over LISTEN and NOTIFY)."""
