"""From a clip to its plan: ``clips``, ``timelines`` and ``houses`` are what is known, ``plans`` the one way from them
to a plan or a refusal, ``marks`` what stands out about it, ``changes`` the one way from what is asked to new
decisions, ``batches`` adds up many and weighs alternatives, ``filenames`` names what is made, ``namesakes``
distinguishes clips of one name apart."""
