namespace Rostrum.Sources;

/// <summary>What was needed of a source to answer, it did not give.</summary>
internal sealed class SourceFailedException(SourceFailure failure) : Exception(failure.Message)
{
    public SourceFailure Failure => failure;
}
