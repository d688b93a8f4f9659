"""Judgements as they are sent: figures, findings, and what each fix would change."""

from jorvik.core.document.operations import Draft, compare
from jorvik.core.judgement import judge
from jorvik.core.measure.context import Context
from jorvik.web.forms.judging import FigureView, FindingView, Judgement, Place


def judgement(context: Context, draft: Draft | None = None) -> Judgement:
    """Return figures and findings of a patch.

    Parameters
    ----------
    context : Context
        The patch, its trace and its measures.
    draft : Draft, optional
        The document of the patch with its internal ids. Each fix is then the operations that lead from it to the fixed
        document; otherwise it is the whole document.
    """
    aside = {meant.finding: meant.reason for meant in context.patch.set_aside}
    judged = judge(context)
    begins_s = context.trace.run.origin / context.rate
    found = []
    for finding in judged.findings:
        fixed = finding.fix.patch.document() if finding.fix else None
        found.append(
            FindingView(
                key=finding.key,
                rule=finding.rule,
                severity=finding.severity,
                sentence=finding.sentence,
                why=finding.why,
                about=Place.of(finding.about),
                from_s=finding.from_s + begins_s,
                to_s=finding.to_s + begins_s,
                fix=finding.fix.label if finding.fix else "",
                fixed=fixed if draft is None else None,
                operations=compare(draft, fixed) if draft is not None and fixed is not None else None,
                set_aside=aside.get(finding.key),
            )
        )
    figures = [FigureView(**{**figure.facts(), "about": Place.of(figure.about)}) for figure in judged.figures]
    return Judgement(measures=context.measures, figures=figures, findings=found)
